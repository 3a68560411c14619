export { type Budget, BudgetError } from "./budget.js";
export { type AnyDatabase, announceKey, Database, type DatabaseOptions, database } from "./database.js";
export {
  Transaction,
  type TransactionOptions,
  type TransactionWork,
  type UnitOfWork,
  type Work,
} from "./open-transaction.js";

export { spendingOf, wasteIn } from "./spending.js";
export { undone } from "./undone.js";
