import { GemachError } from "../errors/index.js";
import type { Query, QueryState } from "../expression/index.js";
import type { Definitions, Entity, EntityName } from "../model/index.js";
import { few, planExists, planList, planSingle, planSlice } from "../plan/index.js";
import {
  from,
  type Reached,
  type ReachFaults,
  type ReachKeys,
  type ReachShape,
  rawIn,
  stateOf,
} from "../query/index.js";
import { fetch } from "./fetch.js";
import { oneByOne } from "./one-by-one.js";
import { rawRows } from "./raw.js";
import { compileReach, reachRows } from "./reach.js";
import { rowList } from "./row-list.js";
import type { Runner } from "./runner.js";
import { fetchSlice, type Slice } from "./slice.js";
import type { Steps } from "./steps.js";

/** One page of a query's rows. */
export interface Page<Row> {
  readonly rows: Row[];
  /** How many rows there are on all pages. */
  readonly total: number;
  /** How many pages there are. */
  readonly pages: number;
  /** The number of this page, from 1. */
  readonly number: number;
  /** The most rows of a page. */
  readonly size: number;
}

/** The verbs that read. */
export class Reads {
  readonly #runner: Runner;

  /** @internal */
  constructor(runner: Runner) {
    this.#runner = runner;
  }

  /** All rows of a query, in its order. */
  async list<Row>(query: Query<Row>): Promise<Row[]> {
    const raw = rawIn(query);
    if (raw !== undefined) return (await this.#runner.run(() => rawRows(raw, this.#runner.runtime), "no")) as Row[];
    const state = stateOf(query, "list");
    const statement = this.#runner.compile(state, planList);
    const alone = this.#runner.alone(statement, state);
    if (alone !== undefined) return (await alone) as Row[];
    const steps = () => fetch(statement, this.#runner.runtime, state.given?.values);
    return (await this.#runner.run(steps, this.#runner.together(state, statement.fed.size > 0))) as Row[];
  }

  /**
   * The one row of a query.
   * @throws GemachError `NONE_FOUND`, or `SEVERAL_FOUND` with their number.
   */
  async single<Row>(query: Query<Row>): Promise<Row> {
    const found = await this.#one<Row>(stateOf(query, "single"), "exactly one");
    if (found.length === 0)
      throw new GemachError("NONE_FOUND", { entity: stateOf(query, "single").source.entity.name });
    return found[0] as Row;
  }

  /**
   * The one row of a query, or null.
   * @throws GemachError `SEVERAL_FOUND` with their number.
   */
  async maybe<Row>(query: Query<Row>): Promise<Row | null> {
    const found = await this.#one<Row>(stateOf(query, "maybe"), "at most one");
    return found[0] ?? null;
  }

  /** The number of a query's rows, counted by the database. */
  async count(query: Query): Promise<number> {
    return await this.#runner.run(this.#runner.countSteps(stateOf(query, "count")), "no");
  }

  /** Whether a query has any row; the database stops at the first. */
  async exists(query: Query): Promise<boolean> {
    const state = stateOf(query, "exists");
    const statement = this.#runner.compile(state, planExists);
    const steps = () => fetch(statement, this.#runner.runtime, state.given?.values);
    return (await this.#runner.run(steps, "no")).length > 0;
  }

  /**
   * One page of a query's rows, with the number of all rows and pages. `number` counts from 1. For long
   * lists that change, `slice` is the better way.
   * @throws GemachError `LIMIT_UNFIT`
   */
  async page<Row>(query: Query<Row>, { size, number = 1 }: { size: number; number?: number }): Promise<Page<Row>> {
    const state = stateOf(query, "page");
    if (!(Number.isSafeInteger(size) && size >= 1)) throw new GemachError("LIMIT_UNFIT", { method: "page" });
    if (!(Number.isSafeInteger(number) && number >= 1)) throw new GemachError("LIMIT_UNFIT", { method: "page" });
    const count = this.#runner.countSteps(state);
    const from = (state.offset ?? 0) + (number - 1) * size;
    const rest = state.limit === undefined ? size : Math.max(0, Math.min(size, state.limit - (number - 1) * size));
    const statement = this.#runner.compile(cutAnew(state, { limit: rest, offset: from }), planList);
    const runtime = this.#runner.runtime;
    const steps = function* (): Steps<Page<Row>> {
      const total = yield* count();
      const rows = (yield* fetch(statement, runtime, state.given?.values)) as Row[];
      return { rows, total, pages: Math.ceil(total / size), number, size };
    };
    return await this.#runner.run(steps, this.#runner.together(state, true));
  }

  /**
   * So many rows of a query, from its beginning or from where its `after` or `before` says, with the
   * cursors from which to go on (keyset paging): rows that come or go meanwhile shift nothing, and the
   * hundredth slice costs what the first does.
   * @throws GemachError `LIMIT_UNFIT`, `CURSOR_UNFIT`
   */
  async slice<Row>(query: Query<Row>, size: number): Promise<Slice<Row>> {
    const state = stateOf(query, "slice");
    if (!(Number.isSafeInteger(size) && size >= 1)) throw new GemachError("LIMIT_UNFIT", { method: "slice" });
    const statement = this.#runner.compile(cutAnew(state, { limit: size + 1 }), planSlice);
    const steps = () => fetchSlice(statement, size, state.cursor?.side, this.#runner.runtime, state.given?.values);
    return (await this.#runner.run(steps, this.#runner.together(state, statement.fed.size > 0))) as Slice<Row>;
  }

  /**
   * The rows of a query one after the other, fetched in chunks as they are taken: a loop over a million
   * rows holds four thousand in memory (or `chunk` of them), and may end at any time. Each chunk is a statement of its
   * own (and one for each relation that is reached by batch), so that rows which change meanwhile are seen as they are
   * then.
   */
  stream<Row>(query: Query<Row>, { chunk = 4000 }: { readonly chunk?: number } = {}): AsyncIterableIterator<Row> {
    return oneByOne(this.#chunks(query, chunk));
  }

  async *#chunks<Row>(query: Query<Row>, chunk: number): AsyncGenerator<readonly Row[], void, void> {
    const state = stateOf(query, "stream");
    if (!(Number.isSafeInteger(chunk) && chunk >= 1)) throw new GemachError("LIMIT_UNFIT", { method: "stream" });
    if (state.cursor?.side === "before")
      throw new GemachError("CURSOR_UNFIT", { reason: "a stream goes forwards, so that it takes no before()" });
    let rest = state.limit ?? Number.POSITIVE_INFINITY;
    let at: Pick<QueryState, "cursor" | "offset"> = { cursor: state.cursor, offset: state.offset };
    while (rest > 0) {
      const size = Math.min(chunk, rest);
      const statement = this.#runner.compile(cutAnew(state, { ...at, limit: size + 1 }), planSlice);
      const steps = () => fetchSlice(statement, size, "after", this.#runner.runtime, state.given?.values);
      const slice = (await this.#runner.run(steps, this.#runner.together(state, statement.fed.size > 0))) as Slice<Row>;
      yield slice.rows;
      if (slice.next === null) return;
      rest -= slice.rows.length;
      at = { cursor: { text: slice.next, side: "after" }, offset: undefined };
    }
  }

  /**
   * Completes rows that are in memory already, whatever made them: gives copies of them with what they reach, in one
   * statement a relation and level. They need the columns that the relations go out from.
   * @throws GemachError `ROW_KEYLESS` where a row lacks one of them, `ROWS_EXPECTED`, `RELATED_MISSING`
   */
  async reach<
    D extends Definitions,
    E extends EntityName<D>,
    const S extends ReachShape<D, E>,
    R extends ReachKeys<D, E, S>,
  >(
    rows: readonly R[],
    entity: Entity<D, E>,
    shape: S & NoInfer<ReachFaults<D, E, S>>,
  ): Promise<Reached<D, E, R, S>[]> {
    const state = stateOf(from(entity).reach(shape as never), "reach");
    const { runtime, settings } = this.#runner;
    const given = rowList(rows, state.source.entity, "reach");
    const plan = compileReach(state, { ...settings, isLarge: given.length > few }, runtime.dialect);
    const steps = () => reachRows(plan, given, runtime);
    return (await this.#runner.run(steps, this.#runner.together(state, plan.fed.size > 1))) as Reached<D, E, R, S>[];
  }

  async #one<Row>(state: QueryState, expected: string): Promise<readonly Row[]> {
    const statement = this.#runner.compile(state, planSingle);
    const alone = this.#runner.alone(statement, state);
    if (alone !== undefined) {
      const found = await alone;
      if (found.length < 2) return found as readonly Row[];
    }
    const count = () => this.#runner.countSteps(state)();
    const check = function* (found: number): Steps<void> {
      if (found < 2) return;
      throw new GemachError("SEVERAL_FOUND", { entity: state.source.entity.name, found: yield* count(), expected });
    };
    return (await this.#runner.run(
      () => fetch(statement, this.#runner.runtime, state.given?.values, check),
      this.#runner.together(state, statement.fed.size > 0),
    )) as readonly Row[];
  }
}

/** The same query, cut elsewhere: no longer what its template was compiled to. */
const cutAnew = (state: QueryState, cut: Partial<QueryState>): QueryState => ({ ...state, ...cut, given: undefined });
