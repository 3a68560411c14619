import { expectOptions, GemachError } from "../../errors/index.js";
import type { Query, QueryState } from "../../ir/index.js";
import { type Definitions, type Entity, type EntityName, entityIn } from "../../model/index.js";
import { rowList } from "../../plan/index.js";
import {
  from,
  type Reached,
  type ReachFaults,
  type ReachKeys,
  type ReachShape,
  rawIn,
  rowCount,
  stateOf,
} from "../../query/index.js";
import { type Limits, limitNames } from "../sessions/stop.js";
import type { ExplainedStatement, ExplainOptions } from "../watching/explain.js";
import type { VerbOrigin } from "../watching/origin.js";
import { type Context, noLimits, originOf, run } from "./context.js";
import { onDemand } from "./late.js";
import { oneByOne } from "./one-by-one.js";
import { type Page, paging, portioning } from "./paging.js";
import type { Portion } from "./portion.js";
import { rawRows } from "./raw.js";
import { completed } from "./reach.js";
import { counting, expectTransaction, listing, looking, read, singling } from "./reading.js";

/** The verbs that read. */
export class Reads {
  readonly #context: Context;

  /** @internal */
  constructor(context: Context) {
    this.#context = context;
  }

  /** All rows of a query, in its order. */
  async list<Row>(query: Query<Row>, limits: Limits = noLimits): Promise<Row[]> {
    expectOptions("list", limits, limitNames);
    const raw = rawIn(query);
    const origin = originOf(this.#context, "list", Reads.prototype.list, query);
    if (raw !== undefined) {
      await this.#context.live?.written();
      return (await run(
        this.#context,
        () => rawRows(raw, this.#context.compiler.runtime),
        "no",
        origin,
        limits,
      )) as Row[];
    }
    const { rows } = await read(this.#context, listing, stateOf(query, "list"), origin, limits);
    return rows as Row[];
  }

  /**
   * The one row of a query.
   * @throws GemachError `NONE_FOUND`, or `SEVERAL_FOUND` with their number.
   */
  async single<Row>(query: Query<Row>, limits: Limits = noLimits): Promise<Row> {
    expectOptions("single", limits, limitNames);
    const state = stateOf(query, "single");
    const origin = originOf(this.#context, "single", Reads.prototype.single, query);
    const { rows } = await read(this.#context, singling, state, origin, limits);
    if (rows.length === 0) throw new GemachError("NONE_FOUND", { entity: state.source.entity.name });
    return rows[0] as Row;
  }

  /**
   * The one row of a query, or null.
   * @throws GemachError `SEVERAL_FOUND` with their number.
   */
  async maybe<Row>(query: Query<Row>, limits: Limits = noLimits): Promise<Row | null> {
    expectOptions("maybe", limits, limitNames);
    const origin = originOf(this.#context, "maybe", Reads.prototype.maybe, query);
    const { rows } = await read(this.#context, singling, stateOf(query, "maybe"), origin, limits);
    return (rows[0] as Row | undefined) ?? null;
  }

  /** The number of a query's rows, counted by the database. */
  async count(query: Query, limits: Limits = noLimits): Promise<number> {
    expectOptions("count", limits, limitNames);
    const origin = originOf(this.#context, "count", Reads.prototype.count, query);
    const { rows } = await read(this.#context, counting, stateOf(query, "count"), origin, limits);
    return rows[0] as number;
  }

  /** Whether a query has any row; the database stops at the first. */
  async exists(query: Query, limits: Limits = noLimits): Promise<boolean> {
    expectOptions("exists", limits, limitNames);
    const origin = originOf(this.#context, "exists", Reads.prototype.exists, query);
    const { rows } = await read(this.#context, looking, stateOf(query, "exists"), origin, limits);
    return rows.length > 0;
  }

  /**
   * One page of a query's rows, with the number of all rows and pages. `number` counts from 1. For long
   * lists that change, `portion` is the better way.
   * @throws GemachError `LIMIT_UNFIT`
   */
  async page<Row>(query: Query<Row>, options: { size: number; number?: number } & Limits): Promise<Page<Row>> {
    expectOptions("page", options, ["size", "number", ...limitNames]);
    const { size, number = 1 } = options;
    const state = stateOf(query, "page");
    rowCount(size, "page", 1);
    rowCount(number, "page", 1);
    const origin = originOf(this.#context, "page", Reads.prototype.page, query);
    return (await read(this.#context, paging(size, number), state, origin, options)) as Page<Row>;
  }

  /**
   * So many rows of a query, from its beginning or from where its `after` or `before` says, with the
   * cursors from which to go on (keyset paging): rows that come or go meanwhile shift nothing, and the
   * hundredth portion costs what the first does.
   * @throws GemachError `LIMIT_UNFIT`, `CURSOR_UNFIT`
   */
  async portion<Row>(query: Query<Row>, size: number, limits: Limits = noLimits): Promise<Portion<Row>> {
    expectOptions("portion", limits, limitNames);
    const state = stateOf(query, "portion");
    rowCount(size, "portion", 1);
    const origin = originOf(this.#context, "portion", Reads.prototype.portion, query);
    return (await read(this.#context, portioning(size), state, origin, limits)) as Portion<Row>;
  }

  /**
   * The rows of a query one after the other, fetched in chunks as they are taken: a loop over a million
   * rows holds four thousand in memory (or `chunk` of them), and may end at any time. Each chunk is a statement of its
   * own (and one for each relation that is reached by batch), so that rows which change meanwhile are seen as they are
   * then; `timeLimit` is that of each chunk.
   */
  stream<Row>(query: Query<Row>, options: { readonly chunk?: number } & Limits = noLimits): AsyncIterableIterator<Row> {
    const origin = originOf(this.#context, "stream", Reads.prototype.stream, query);
    return oneByOne(this.#chunks<Row>(query, options, origin));
  }

  async *#chunks<Row>(
    query: Query<Row>,
    options: { readonly chunk?: number } & Limits,
    origin: VerbOrigin,
  ): AsyncGenerator<readonly Row[], void, void> {
    expectOptions("stream", options, ["chunk", ...limitNames]);
    const { chunk = 4000 } = options;
    const state = stateOf(query, "stream");
    rowCount(chunk, "stream", 1);
    if (state.cursor?.side === "before")
      throw new GemachError("CURSOR_UNFIT", { reason: "a stream goes forwards, so that it takes no before()" });
    let rest = state.limit ?? Number.POSITIVE_INFINITY;
    let at = state;
    const base = withoutLimits(state);
    while (rest > 0) {
      const portion = await read(this.#context, portioning(Math.min(chunk, rest)), at, origin, options);
      yield portion.rows as Row[];
      if (portion.next === null) return;
      rest -= portion.rows.length;
      at = { ...base, cursor: { text: portion.next, side: "after", base } };
    }
  }

  /**
   * Completes rows that are in memory already, whatever made them: gives copies of them with what they reach, in one
   * statement a relation and level. They need the columns that the relations go out from.
   * @throws GemachError `ROW_KEYLESS` where a row lacks one of them, `ROWS_EXPECTED`, `RELATED_MISSING`
   */
  async reach<
    D extends Definitions<D>,
    E extends EntityName<D>,
    const S extends ReachShape<D, E>,
    R extends ReachKeys<D, E, S>,
  >(
    rows: readonly R[],
    entity: Entity<D, E>,
    shape: S & NoInfer<ReachShape<D, E> & ReachFaults<D, E, S>>,
    limits: Limits = noLimits,
  ): Promise<Reached<D, E, R, S>[]> {
    expectOptions("reach", limits, limitNames);
    const { compiler } = this.#context;
    const origin = originOf(this.#context, "reach", Reads.prototype.reach);
    const resolved = entityIn(entity, "reach");
    const given = rowList(rows, resolved, "reach");
    const state = compiler.reached(resolved, shape, () => stateOf(from(entity).reach(shape as never), "reach"));
    return (await completed(this.#context, state, given, origin, limits)) as Reached<D, E, R, S>[];
  }

  /**
   * The plan by which the database executes each statement of a query, in one form for all engines. It changes nothing.
   * Without `analyze` a query that reaches relations fetches up to 101 of its rows, for the keys that their statements
   * need; with it all statements are run, and measured.
   * @throws GemachError `OPTION_UNKNOWN`
   */
  async explain(query: Query, options: ExplainOptions & Limits = noLimits): Promise<readonly ExplainedStatement[]> {
    expectOptions("explain", options, ["analyze", "verb", ...limitNames]);
    const state = stateOf(query, "explain");
    expectTransaction(this.#context, state);
    const origin = originOf(this.#context, "explain", Reads.prototype.explain, query);
    const { explainSteps } = await onDemand();
    return await run(this.#context, () => explainSteps(this.#context, state, options), "no", origin, options);
  }
}

/**
 * A query, and the template that it is made of, without limits and cursor: the rows after the first chunk are those
 * after a place in it.
 */
function withoutLimits({ given, ...state }: QueryState): QueryState {
  const bare = { limit: undefined, offset: undefined, cursor: undefined, memo: { isUsed: true } };
  const template = given === undefined ? undefined : { ...given.template, ...bare };
  return {
    ...state,
    ...bare,
    given: given === undefined || template === undefined ? undefined : { ...given, template },
  };
}
