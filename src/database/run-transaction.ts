import { expectOptions, GemachError } from "../errors/index.js";
import type { ParameterValues } from "../ir/index.js";
import { rowCount } from "../query/index.js";
import {
  type CallSite,
  type Compiler,
  type Driver,
  insideOf,
  isLimited,
  opened,
  refuseInside,
  stopOf,
  type TransactionSettings,
  transact,
  type Watch,
  wait,
} from "../run/index.js";
import type { Hooks } from "../work/index.js";
import { numbered } from "./numbered.js";
import {
  type Joining,
  type Shared,
  type TransactionOptions,
  type TransactionWork,
  transactionOptionNames,
  type Worked,
  workWith,
} from "./open-transaction.js";

const lost: ReadonlySet<unknown> = new Set(["SERIALIZATION_FAILED", "DEADLOCK", "PREPARED_OUTDATED"]);

/** The connection and the handles that a transaction runs on. */
export interface TransactionPlace {
  readonly driver: Driver;
  readonly compiler: Compiler;
  readonly watch: Watch;
  readonly clock: () => number;
  readonly join: Joining;
  readonly values: ParameterValues | undefined;
  readonly hooks: Hooks | undefined;
}

/**
 * Whether work may succeed when it runs again: it lost against another, also where it caught that error and went on.
 */
const isLostTo = (error: unknown): boolean =>
  lost.has(codeOf(error)) || (codeOf(error) === "TRANSACTION_FAILED" && lost.has(codeOf((error as Error).cause)));

const codeOf = (error: unknown): string | undefined => (error instanceof GemachError ? error.code : undefined);

/** A connection that is lost in the middle of a commit leaves its outcome unknown. */
const uncommitted = (error: unknown): unknown =>
  codeOf(error) === "CONNECTION_LOST" ? new GemachError("COMMIT_UNKNOWN", {}, { cause: error }) : error;

/** Does what was to be done after the commit, all of it, whatever fails. */
async function doAfterwards(afterwards: readonly (() => unknown)[]): Promise<void> {
  const errors: unknown[] = [];
  for (const work of afterwards)
    try {
      await work();
    } catch (error) {
      errors.push(error);
    }
  if (errors.length > 0) throw new GemachError("AFTER_COMMIT_FAILED", { count: errors.length }, { cause: errors[0] });
}

/** Does work in a transaction: commits at its end, rolls back where it throws, and lets the error out as it is. */
export async function runTransaction<R>(
  place: TransactionPlace,
  work: TransactionWork<R>,
  options: TransactionOptions,
  at: CallSite | undefined,
): Promise<R> {
  expectOptions("transaction", options, transactionOptionNames);
  const { driver, compiler, watch, clock, join, values, hooks } = place;
  const { retries = 0, readOnly = false, isolation, budget } = options;
  rowCount(retries, "retries");
  const settings: TransactionSettings = isolation === undefined ? { readOnly } : { readOnly, isolation };
  refuseInside(driver);
  const stop = isLimited(options) ? stopOf(options, "transaction", undefined) : undefined;
  try {
    for (let attempt = 1; ; attempt++) {
      let worked: Worked<R>;
      try {
        stop?.check();
        // What may throw comes before there is a session that is to be ended.
        const allowed =
          budget === undefined
            ? watch
            : (await import("./spending.js")).budgeted(watch, budget, compiler.runtime.dialect);
        const session = await opened(driver, watch, stop);
        const seen = watch.isWatched() ? numbered(allowed, at) : { watch: allowed, ends: () => {} };
        const shared: Shared = {
          session,
          compiler,
          watch: seen.watch,
          clock,
          join,
          values,
          hooks,
          isReadOnly: readOnly,
          isolation,
        };
        const working = () => insideOf(driver, () => workWith(shared, stop, work));
        try {
          worked = await transact(session, settings, working, uncommitted);
        } finally {
          seen.ends();
        }
      } catch (error) {
        if (attempt > retries || !isLostTo(error)) throw error;
        await wait(Math.random() * 10 * 2 ** attempt, stop);
        continue;
      }
      if (worked.afterwards.length > 0) await doAfterwards(worked.afterwards);
      return worked.result;
    }
  } finally {
    stop?.end();
  }
}
