import { GemachError } from "../../errors/index.js";
import type { ParameterValues, Query, QueryState } from "../../ir/index.js";
import { planCount, planList } from "../../plan/index.js";
import type { CompiledStatement } from "../../sql/index.js";
import type { Compiler } from "../cache/compiler.js";
import { fetch, isAlone, objectsOf, requestOf } from "../rows/fetch.js";
import type { MaybePromise } from "../sessions/driver.js";
import type { Atomicity, Sender } from "../sessions/sender.js";
import type { Steps } from "../sessions/steps.js";
import { isLimited, type Limits, stopOf } from "../sessions/stop.js";
import { callSite } from "../watching/call-site.js";
import type { VerbOrigin } from "../watching/origin.js";

/** Frames between the place where the stack is taken and the caller of a verb: `callSite`, `originOf`, the verb. */
const framesBetween = 4;

/** What makes more of rows than plain ones: a unit of work. */
export interface LiveReading {
  /** Writes what a statement of any tables might miss. */
  written(): Promise<void>;
  /** The query to send in place of one, once what it might miss is written. */
  ready(state: QueryState): MaybePromise<QueryState>;
  /** What the caller gets of a query's rows. */
  rows(state: QueryState, rows: readonly unknown[], origin: VerbOrigin): MaybePromise<readonly unknown[]>;
}

/** What the verbs have in common: what compiles, shared by all that sends for one database, and where it is sent. */
export interface Context {
  readonly compiler: Compiler;
  readonly sender: Sender;
  /** Whether all statements of one query are to see one state of the data. */
  readonly isSnapshot: boolean;
  /** Whether verbs that write are refused. */
  readonly isReadOnly: boolean;
  /** Whether all that is sent is part of one transaction. */
  readonly isTransaction: boolean;
  readonly live?: LiveReading;
  /** What the handle gives to standing conditions. */
  readonly values?: ParameterValues | undefined;
}

/** What a query's placeholders get: of its template, and of the handle. */
export function valuesFor({ values }: Context, { given }: Pick<QueryState, "given">): ParameterValues | undefined {
  if (values === undefined) return given?.values;
  return given === undefined ? values : new Map([...values, ...given.values]);
}

/** What the caller gets of a query's rows. */
export const rowsForCaller = <R>(
  { live, sender }: Context,
  state: QueryState,
  rows: readonly R[],
  origin: VerbOrigin,
): MaybePromise<readonly R[]> => {
  if (live !== undefined) return live.rows(state, rows, origin) as MaybePromise<readonly R[]>;
  if (sender.watch.isWatched()) sender.watch.tell((observer) => observer.gives?.(rows, state, origin));
  return rows;
};

/** What placeholders get: of the handle, and of values that a statement gets in any case. */
export const givenWith = ({ values }: Context, given: ParameterValues): ParameterValues =>
  values === undefined ? given : new Map([...values, ...given]);

/** Does what a verb does, as long as its limits let it. */
export function run<R>(
  context: Context,
  steps: () => Steps<R>,
  atomicity: Atomicity,
  origin: VerbOrigin,
  limits: Limits,
): MaybePromise<R> {
  if (context.sender.watch.isWatched()) return watched(context, steps, atomicity, origin, limits);
  // Each asynchronous function on the way took a twentieth of a single write (SQLite).
  return isLimited(limits)
    ? limited(context, steps, atomicity, origin, limits)
    : context.sender.run(steps, atomicity, origin);
}

async function watched<R>(
  context: Context,
  steps: () => Steps<R>,
  atomicity: Atomicity,
  origin: VerbOrigin,
  limits: Limits,
): Promise<R> {
  const { watch } = context.sender;
  const started = watch.clock();
  try {
    return await (isLimited(limits)
      ? limited(context, steps, atomicity, origin, limits)
      : context.sender.run(steps, atomicity, origin));
  } finally {
    const milliseconds = watch.clock() - started;
    watch.tell((observer) => observer.called?.({ origin, started, milliseconds }));
  }
}

async function limited<R>(
  { sender }: Context,
  steps: () => Steps<R>,
  atomicity: Atomicity,
  origin: VerbOrigin,
  limits: Limits,
): Promise<R> {
  const stop = stopOf(limits, origin.verb, sender.stop);
  try {
    return await sender.run(steps, atomicity, origin, stop);
  } finally {
    stop.end();
  }
}

export const noLimits: Limits = Object.freeze({});

/** Refuses a lock where it would end with its statement, or where nothing can be written under it. */
export function expectTransaction({ isTransaction, isReadOnly }: Context, { lock, source }: QueryState): void {
  if (lock === undefined) return;
  if (!isTransaction) throw new GemachError("LOCK_OUTSIDE", { entity: source.entity.name });
  if (isReadOnly) throw new GemachError("TRANSACTION_READ_ONLY", { call: "lock" });
}

/** Numbers calls, so that their statements can be told from those of others. */
let calls = 0;

/** Who asked for what; `verb` is the very method that runs. */
export function originOf({ sender }: Context, name: string, verb: unknown, query?: Query): VerbOrigin {
  if (!sender.watch.isWatched()) return { verb: name, query, at: undefined };
  return { verb: name, query, at: callSite(verb, framesBetween), call: ++calls };
}

/**
 * The rows of one statement that has no follow-ups, without the machinery that others need; undefined where it does.
 */
export function rowsAlone(
  context: Context,
  statement: CompiledStatement,
  state: QueryState,
  limits: Limits,
): readonly unknown[] | Promise<readonly unknown[]> | undefined {
  const { compiler, sender } = context;
  const { runtime } = compiler;
  if (!isAlone(statement) || sender.watch.isWatched() || isLimited(limits)) return undefined;
  const answer = sender.send(requestOf(statement, runtime, [], valuesFor(context, state)));
  return answer instanceof Promise
    ? answer.then((rows) => objectsOf(statement, rows, runtime))
    : objectsOf(statement, answer, runtime);
}

/** Several statements see one state where that is asked for, or costs nothing. */
export function togetherFor(context: Context, { isSnapshot }: QueryState, isSeveral: boolean): Atomicity {
  if (!isSeveral) return "no";
  return isSnapshot || context.isSnapshot ? "snapshot" : "free";
}

/** The plain rows of a query, as a part of other work. */
export function* stepsOfQuery(context: Context, state: QueryState): Steps<readonly unknown[]> {
  const { compiler } = context;
  return yield* fetch(compiler.compile(state, "list", planList), compiler.runtime, valuesFor(context, state));
}

/** The plain rows of a query, with what it reaches. */
export async function rowsOfQuery(
  context: Context,
  state: QueryState,
  origin: VerbOrigin,
): Promise<readonly unknown[]> {
  const { compiler } = context;
  const statement = compiler.compile(state, "list", planList);
  const steps = () => fetch(statement, compiler.runtime, valuesFor(context, state));
  return await run(context, steps, togetherFor(context, state, statement.followUps.size > 0), origin, noLimits);
}

/** Counts the rows of a query. */
export function* countRows(context: Context, state: QueryState): Steps<number> {
  const { compiler } = context;
  const statement = compiler.compile(state, "count", planCount);
  const [count] = yield* fetch(statement, compiler.runtime, valuesFor(context, state));
  return count as number;
}
