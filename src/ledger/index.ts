export { type AuditOptions, audit, type QueryAudit } from "./audit.js";
export { type ComparedWay, type CompareOptions, type Comparison, compare } from "./compare.js";
export {
  type Ledger,
  type LedgerOptions,
  type LedgerTotals,
  openLedger,
  type StatementGroup,
  withLedger,
} from "./ledger.js";
export { type LinesOptions, ledgerLines, type ReadLedger, readLedgerLines } from "./lines.js";
export { type StatementWatcher, watchStatements } from "./watch-statements.js";
export { withBudget } from "./with-budget.js";
