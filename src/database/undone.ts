import type { Transaction, TransactionOptions, TransactionWork } from "./open-transaction.js";

/** Opens transactions: a database, or a transaction on it. */
interface Opening {
  transaction<R>(work: TransactionWork<R>, options?: TransactionOptions): Promise<R>;
}

/**
 * Does work in a transaction that is always rolled back, and gives what the work gave: a test of it leaves nothing
 * behind. The work's handle stands for the database, `tx.work()` for a unit of work.
 */
export async function undone<R>(
  db: Opening,
  work: (tx: Transaction) => Promise<R>,
  options: TransactionOptions = {},
): Promise<R> {
  const end = new Error("undone");
  let result: { readonly value: R } | undefined;
  try {
    await db.transaction(async (tx) => {
      result = { value: await work(tx) };
      throw end;
    }, options);
  } catch (error) {
    if (error !== end) throw error;
  }
  return (result as { readonly value: R }).value;
}
