import type { AnyDatabase } from "../database/index.js";
import { type BegunStatement, connectionOf, planVerb, type SentStatement } from "../run/index.js";

/** Is called for each statement. */
export interface StatementWatcher {
  /** Right before it is sent. */
  begins?(statement: BegunStatement): void;
  /** Once its answer is there; it has the same `origin` object as when it began. */
  ends?(statement: SentStatement): void;
}

/**
 * Has a function called for every statement of a database, whoever sends it: for a log. What it throws ends the
 * statement with that error.
 * @returns the function that ends it.
 */
export function watchStatements(
  db: AnyDatabase,
  watcher: StatementWatcher | ((statement: SentStatement) => void),
): () => void {
  const { begins, ends } = typeof watcher === "function" ? { begins: undefined, ends: watcher } : watcher;
  return connectionOf(db, "watchStatements").sender.watch.add({
    begins: (statement) => {
      if (statement.origin.verb !== planVerb) begins?.(statement);
    },
    ends: (statement) => {
      if (statement.origin.verb !== planVerb) ends?.(statement);
    },
  });
}
