import { type AnyDatabase, type Budget, spendingOf, wasteIn } from "../database/index.js";
import { recording } from "../findings/index.js";
import { connectionOf } from "../run/index.js";

/**
 * Runs work that may spend so much: statements, rows that come back, milliseconds that the database takes. For a block of code,
 * or what answers a request; a transaction, and a unit of work, have the option `budget`.
 * @throws BudgetError with the statements that were sent, by text and line of code, and the finding behind them
 */
export async function withBudget<R>(db: AnyDatabase, budget: Budget, work: () => R | Promise<R>): Promise<R> {
  const connection = connectionOf(db, "withBudget");
  const { record, run } = recording(connection, false, {
    begins: (text, origin) => spending.begin(text, origin),
    ends: (rows, milliseconds) => spending.end(rows, milliseconds),
  });
  const spending = spendingOf(budget, wasteIn(record, connection.dialect));
  return await run(work);
}
