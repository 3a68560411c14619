export type { AuditOptions, QueryAudit } from "./audit.js";
export type { ComparedWay, CompareOptions, Comparison } from "./compare.js";
export { type Ledger, type LedgerOptions, openLedger } from "./ledger.js";
export { type LinesOptions, ledgerLines, type ReadLedger, readLedgerLines } from "./lines.js";
export type { LedgerTotals, StatementGroup } from "./sums.js";
export { audit, compare, withBudget, withLedger } from "./verbs.js";
export { type StatementWatcher, watchStatements } from "./watch-statements.js";
