export { type Budget, BudgetError, spendingOf, wasteIn } from "./budget.js";
export { type AnyDatabase, announceKey, Database, type DatabaseOptions, database } from "./database.js";
export { Transaction, type TransactionWork, type Work } from "./open-transaction.js";
export type { TransactionOptions } from "./run-transaction.js";
export { undone } from "./undone.js";
