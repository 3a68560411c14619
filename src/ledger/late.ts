export { auditOf } from "./audit.js";
export { comparisonOf } from "./compare.js";
export { ledgerOn } from "./ledger.js";
export { spendingWithin } from "./with-budget.js";
