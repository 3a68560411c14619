import { type Finder, many, placeOf } from "./finding.js";

/** A transaction that is open for long while the database has nothing to do for it. */
export const findLongTransactions: Finder = ({ statements, transactions, thresholds }) =>
  transactions.flatMap(({ transaction, milliseconds, at }) => {
    const own = statements.filter(({ origin }) => origin.transaction === transaction);
    const busy = own.reduce((sum, one) => sum + one.milliseconds, 0);
    if (milliseconds < thresholds.transaction || busy > milliseconds / 2) return [];
    return [
      {
        kind: "long-transaction",
        severity: "warning" as const,
        evidence: `The transaction${placeOf(at)} was open for ${many(milliseconds)} ms, ${many(busy)} of them in its ${many(own.length)} statements: meanwhile it held its locks and a connection.`,
        remedy:
          "Do what waits for others (HTTP, files, long computing) before the transaction, or after it by tx.afterCommit(() => …).",
        at,
        statements: own,
      },
    ];
  });
