export type { Finding, FindingKind } from "./findings/finding.js";
export { type Ledger, type LedgerTotals, withLedger } from "./ledger.js";
export { type LinesOptions, ledgerLines, type ReadLedger, readLedgerLines } from "./lines.js";
