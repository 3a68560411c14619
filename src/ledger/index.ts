export type { Finding, FindingKind } from "./findings/finding.js";
export { type Ledger, type LedgerTotals, withLedger } from "./ledger.js";
