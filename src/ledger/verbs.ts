import type { AnyDatabase, Budget } from "../database/index.js";
import type { Query } from "../ir/index.js";
import type { AuditOptions, QueryAudit } from "./audit.js";
import type { CompareOptions, Comparison } from "./compare.js";
import type { Ledger, LedgerOptions } from "./ledger.js";

/** What looks at statements is read when it is first asked for: a program that is looked at by nobody does without. */
const deferred = () => import("./late.js");

/**
 * Runs `work` and records every statement that it sends to the database. Where the platform can
 * follow asynchronous calls (Node and the like) the statements of other work that goes on at the
 * same time stay out; elsewhere all of the database's statements in that time are recorded.
 * @throws GemachError `OPTION_UNKNOWN`
 */
export async function withLedger<R>(
  db: AnyDatabase,
  label: string,
  work: () => R | Promise<R>,
  options: LedgerOptions = {},
): Promise<Ledger<R>> {
  return await (await deferred()).ledgerOn(db, label, work, options);
}

/**
 * Looks at the execution plans of a query, without fetching its rows: what `explain` gives, and the findings of it.
 * Where a finding depends on how many rows there are, the database counts them.
 * @throws GemachError `OPTION_UNKNOWN`, and what `explain` throws
 */
export async function audit(db: AnyDatabase, query: Query, options: AuditOptions = {}): Promise<QueryAudit> {
  return await (await deferred()).auditOf(db, query, options);
}

/**
 * Runs a query by every strategy, in turn, and compares what that costs; with a proposed index too, where one is given:
 * it is made in a transaction that is rolled back (MariaDB: on a copy of the table that only this connection sees).
 * @throws GemachError `OPTION_UNKNOWN`, `NAME_UNKNOWN` for a column of the index
 */
export async function compare(db: AnyDatabase, query: Query, options: CompareOptions = {}): Promise<Comparison> {
  return await (await deferred()).comparisonOf(db, query, options);
}

/**
 * Runs work that may spend so much: statements, rows that come back, milliseconds that the database takes. For a block
 * of code, or what answers a request; a transaction, and a unit of work, have the option `budget`.
 * @throws BudgetError with the statements that were sent, by text and line of code, and the finding behind them
 */
export async function withBudget<R>(db: AnyDatabase, budget: Budget, work: () => R | Promise<R>): Promise<R> {
  return await (await deferred()).spendingWithin(db, budget, work);
}
