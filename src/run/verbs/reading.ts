import { GemachError } from "../../errors/index.js";
import type { ParameterValues, QueryState } from "../../ir/index.js";
import { planCount, planExists, planList, planSingle } from "../../plan/index.js";
import type { CompiledStatement } from "../../sql/index.js";
import type { Planner } from "../cache/compiler.js";
import { fetch, isAlone, objectsOf, requestOf } from "../rows/fetch.js";
import { andThen, type MaybePromise } from "../sessions/driver.js";
import type { Atomicity } from "../sessions/sender.js";
import type { Steps } from "../sessions/steps.js";
import { isLimited, type Limits } from "../sessions/stop.js";
import type { VerbOrigin } from "../watching/origin.js";
import { type Context, noLimits, run, valuesFor } from "./context.js";

/** A statement with the values of its placeholders. */
export interface BoundStatement {
  readonly statement: CompiledStatement;
  readonly values: ParameterValues | undefined;
}

/** The answer of a verb that reads: rows, and for some verbs more. */
export interface Found {
  readonly rows: readonly unknown[];
}

/** The steps of a reading at which verbs differ; `read` does all the others. */
export interface Reading<Answer extends Found = Found> {
  /** Compiles the statement for a query, or finds it, and binds its values. */
  readonly bind: (context: Context, state: QueryState, verb: string) => BoundStatement;
  /** Throws where so many rows are refused, before anything else is fetched. */
  readonly check?: (context: Context, state: QueryState, origin: VerbOrigin, found: number) => Steps<void>;
  /** Fetches the answer of a verb that needs more than the rows of its statement. */
  readonly fetch?: (context: Context, state: QueryState, bound: BoundStatement) => Steps<Answer>;
  /** Set where `fetch` sends several statements. */
  readonly isSeveral?: true;
  /** Set for what is fetched about the rows, without the rows. */
  readonly isCount?: true;
}

const binding =
  (use: string, plan: Planner) =>
  (context: Context, state: QueryState): BoundStatement => ({
    statement: context.compiler.compile(state, use, plan),
    values: valuesFor(context, state),
  });

/** All rows of a query. */
export const listing = { bind: binding("list", planList) } satisfies Reading;

/** A query's one row. */
export const singling: Reading = {
  bind: binding("single", planSingle),
  *check(context, state, { verb }, found) {
    if (found < 2) return;
    const { name } = state.source.entity;
    throw new GemachError("SEVERAL_FOUND", { call: verb, entity: name, found: yield* countRows(context, state) });
  },
};

/** The number of a query's rows. */
export const counting = { bind: binding("count", planCount), isCount: true } satisfies Reading;

/** A row where a query has any. */
export const looking: Reading = { bind: binding("exists", planExists), isCount: true };

/**
 * Reads for a verb, in these steps: refuses a lock that would not last, writes what the query might miss (in a unit of
 * work), binds, fetches, hands the rows out.
 */
export function read<Answer extends Found>(
  context: Context,
  reading: Reading<Answer>,
  asked: QueryState,
  origin: VerbOrigin,
  limits: Limits,
): MaybePromise<Answer> {
  if (!reading.isCount) expectTransaction(context, asked);
  if (context.live === undefined) return readReady(context, reading, asked, origin, limits);
  return andThen(context.live.ready(asked), (state) => readReady(context, reading, state, origin, limits));
}

function readReady<Answer extends Found>(
  context: Context,
  reading: Reading<Answer>,
  state: QueryState,
  origin: VerbOrigin,
  limits: Limits,
): MaybePromise<Answer> {
  const bound = reading.bind(context, state, origin.verb);
  const isSeveral = reading.isSeveral || bound.statement.followUps.size > 0;
  const steps = () => stepsOf(context, reading, state, bound, origin);
  const answer =
    answerAlone(context, reading, state, bound, origin, limits) ??
    run(context, steps, togetherFor(context, state, isSeveral), origin, limits);
  return andThen(answer, (found) => handedOut(context, reading, state, found, origin));
}

function* stepsOf<Answer extends Found>(
  context: Context,
  { fetch: own, check }: Reading<Answer>,
  state: QueryState,
  bound: BoundStatement,
  origin: VerbOrigin,
): Steps<Answer> {
  if (own !== undefined) return yield* own(context, state, bound);
  const refuse = check && ((found: number) => check(context, state, origin, found));
  const rows = yield* fetch(bound.statement, context.compiler.runtime, bound.values, refuse);
  return { rows } as Answer;
}

/** The answer of one statement without follow-ups, without the machinery of the others; undefined where it needs it. */
function answerAlone<Answer extends Found>(
  context: Context,
  { fetch: own, check }: Reading<Answer>,
  state: QueryState,
  { statement, values }: BoundStatement,
  origin: VerbOrigin,
  limits: Limits,
): MaybePromise<Answer> | undefined {
  const { sender, compiler } = context;
  if (own !== undefined || !isAlone(statement) || sender.watch.isWatched() || isLimited(limits)) return undefined;
  return andThen(sender.send(requestOf(statement, compiler.runtime, [], values)), (wires) => {
    const rows = objectsOf(statement, wires, compiler.runtime);
    const answer = { rows } as Found as Answer;
    if (check === undefined || rows.length < 2) return answer;
    return andThen(
      run(context, () => check(context, state, origin, rows.length), "no", origin, limits),
      () => answer,
    );
  });
}

/** Gives rows to who asked: a unit of work makes live entities of them, and ledgers are told. */
function handedOut<Answer extends Found>(
  { live, sender }: Context,
  { isCount }: Reading<Answer>,
  state: QueryState,
  answer: Answer,
  origin: VerbOrigin,
): MaybePromise<Answer> {
  if (isCount) return answer;
  if (live !== undefined) return andThen(live.rows(state, answer.rows, origin), (rows) => ({ ...answer, rows }));
  if (sender.watch.isWatched()) sender.watch.tell((observer) => observer.gives?.(answer.rows, state, origin));
  return answer;
}

/** Refuses a lock where it would end with its statement, or where nothing can be written under it. */
export function expectTransaction({ isTransaction, isReadOnly }: Context, { lock, source }: QueryState): void {
  if (lock === undefined) return;
  if (!isTransaction) throw new GemachError("LOCK_OUTSIDE", { entity: source.entity.name });
  if (isReadOnly) throw new GemachError("TRANSACTION_READ_ONLY", { call: "lock" });
}

/** Several statements see one state where that is asked for, or costs nothing. */
export function togetherFor(context: Context, { isSnapshot }: QueryState, isSeveral: boolean): Atomicity {
  if (!isSeveral) return "no";
  return isSnapshot || context.isSnapshot ? "snapshot" : "free";
}

/** The plain rows of a query, as a part of other work. */
export function* stepsOfQuery(context: Context, state: QueryState): Steps<readonly unknown[]> {
  const { statement, values } = listing.bind(context, state);
  return yield* fetch(statement, context.compiler.runtime, values);
}

/** The plain rows of a query, with what it reaches. */
export async function rowsOfQuery(
  context: Context,
  state: QueryState,
  origin: VerbOrigin,
): Promise<readonly unknown[]> {
  const { statement, values } = listing.bind(context, state);
  const steps = () => fetch(statement, context.compiler.runtime, values);
  return await run(context, steps, togetherFor(context, state, statement.followUps.size > 0), origin, noLimits);
}

/** Counts the rows of a query. */
export function* countRows(context: Context, state: QueryState): Steps<number> {
  const { statement, values } = counting.bind(context, state);
  const [count] = yield* fetch(statement, context.compiler.runtime, values);
  return count as number;
}
