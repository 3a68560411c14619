import { type AnyDatabase, type Budget, spendingOf, wasteIn } from "../database/index.js";
import { recording } from "../findings/index.js";
import { connectionOf } from "../run/index.js";

/** Holds work to a budget; see `withBudget`. */
export async function spendingWithin<R>(db: AnyDatabase, budget: Budget, work: () => R | Promise<R>): Promise<R> {
  const connection = connectionOf(db, "withBudget");
  const { record, run } = recording(connection, false, {
    begins: (text, origin) => spending.begin(text, origin),
    ends: (rows, milliseconds) => spending.end(rows, milliseconds),
  });
  const spending = spendingOf(budget, wasteIn(record, connection.dialect));
  return await run(work);
}
