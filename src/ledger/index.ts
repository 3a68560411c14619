export { type Ledger, type LedgerTotals, withLedger } from "./ledger.js";
