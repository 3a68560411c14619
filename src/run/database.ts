import { GemachError } from "../errors/index.js";
import { type Query, type QueryState, type ResolvedEntity, type Strategy, strategies } from "../expression/index.js";
import {
  type ColumnsOf,
  type Definitions,
  type Entity,
  type EntityName,
  isEntity,
  type NewRow,
  type OwnRow,
  type PlainRow,
  resolve,
} from "../model/index.js";
import { planCount, planExists, planList, planSingle, planSlice } from "../plan/index.js";
import { type EntityQuery, type RawCommand, rawIn, type Selected, type Selection, stateOf } from "../query/index.js";
import type { CompiledStatement, ConflictSet, DialectName, GivenRow } from "../sql/index.js";
import { constructorCache, type Planner, type StatementCache, statementCache } from "./caches.js";
import { callSite } from "./call-site.js";
import { type Connection, connect, type RunOptions } from "./connection.js";
import type { Driver } from "./driver.js";
import { fetch, isAlone, objectsOf, type Runtime, requestOf, type Steps } from "./fetch.js";
import { now } from "./platform.js";
import { rawCount, rawRows } from "./raw.js";
import { canGenerateCode } from "./row-constructor.js";
import { fetchSlice, type Slice } from "./slice.js";
import { deleteSteps, insertFromSteps, insertSteps, type ReturningWish, updateSteps } from "./write.js";
import type { ChangesOf, UpsertOptions } from "./write-types.js";

/** Settings of a database. */
export interface DatabaseOptions {
  /** The strategy where neither query nor model says otherwise; "auto" by default. */
  readonly how?: Strategy;
  /** Whether row constructors may be compiled to code; by default, where the platform allows it. */
  readonly generateCode?: boolean;
  /** Milliseconds since any moment, for the times in a ledger; `performance.now` by default. */
  readonly clock?: () => number;
}

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

const connections = new WeakMap<Database, Connection>();

/** The connection of a database, for the rooms that send statements of their own. @internal */
export function connectionOf(db: Database): Connection {
  const connection = connections.get(db);
  if (connection === undefined) throw new GemachError("DATABASE_EXPECTED", {});
  return connection;
}

/** A database that queries are run on. Made by `database(driver)`. */
export class Database {
  readonly #connection: Connection;
  readonly #runtime: Runtime;
  readonly #compiled: StatementCache;

  /** @internal */
  constructor(driver: Driver, options: DatabaseOptions) {
    const { how = "auto", generateCode = canGenerateCode(), clock = now } = options;
    if (!strategies.includes(how)) throw new GemachError("STRATEGY_UNKNOWN", { given: String(how), known: strategies });
    this.#connection = connect(driver, clock);
    const { dialect } = this.#connection;
    this.#compiled = statementCache(dialect, how);
    this.#runtime = { dialect, constructorOf: constructorCache(dialect, generateCode) };
    connections.set(this, this.#connection);
  }

  /** The dialect that it speaks. */
  get dialect(): DialectName {
    return this.#runtime.dialect.name;
  }

  /** All rows of a query, in its order. */
  async list<Row>(query: Query<Row>): Promise<Row[]> {
    const raw = rawIn(query);
    if (raw !== undefined) return (await this.#run(() => rawRows(raw, this.#runtime), "no")) as Row[];
    const state = stateOf(query, "list");
    const statement = this.#compile(state, planList);
    const alone = this.#alone(statement, state);
    if (alone !== undefined) return (await alone) as Row[];
    const steps = () => fetch(statement, this.#runtime, state.given?.values);
    return (await this.#run(steps, this.#free(statement))) as Row[];
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
    return await this.#run(this.#countSteps(stateOf(query, "count")), "no");
  }

  /** Whether a query has any row; the database stops at the first. */
  async exists(query: Query): Promise<boolean> {
    const state = stateOf(query, "exists");
    const statement = this.#compile(state, planExists);
    const steps = () => fetch(statement, this.#runtime, state.given?.values);
    return (await this.#run(steps, "no")).length > 0;
  }

  /**
   * Sends a statement of one's own that gives no rows: `sql.command`.
   * @returns how many rows it wrote.
   */
  async send(command: RawCommand): Promise<number> {
    const raw = rawIn(command);
    if (raw === undefined) throw new GemachError("QUERY_EXPECTED", { call: "send" });
    return await this.#run(() => rawCount(raw, this.#runtime), "no");
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
    const count = this.#countSteps(state);
    const from = (state.offset ?? 0) + (number - 1) * size;
    const rest = state.limit === undefined ? size : Math.max(0, Math.min(size, state.limit - (number - 1) * size));
    const statement = this.#compile(cutAnew(state, { limit: rest, offset: from }), planList);
    const runtime = this.#runtime;
    const steps = function* (): Steps<Page<Row>> {
      const total = yield* count();
      const rows = (yield* fetch(statement, runtime, state.given?.values)) as Row[];
      return { rows, total, pages: Math.ceil(total / size), number, size };
    };
    return await this.#run(steps, "free");
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
    const statement = this.#compile(cutAnew(state, { limit: size + 1 }), planSlice);
    const steps = () => fetchSlice(statement, size, state.cursor?.side, this.#runtime, state.given?.values);
    return (await this.#run(steps, this.#free(statement))) as Slice<Row>;
  }

  /**
   * The rows of a query one after the other, fetched in chunks as they are taken: a loop over a million
   * rows holds a thousand in memory, and may end at any time. Each chunk is a statement of its own (and one
   * for each relation that is reached by batch), so that rows which change meanwhile are seen as they are then.
   */
  async *stream<Row>(
    query: Query<Row>,
    { chunk = 1000 }: { readonly chunk?: number } = {},
  ): AsyncGenerator<Row, void, void> {
    const state = stateOf(query, "stream");
    if (!(Number.isSafeInteger(chunk) && chunk >= 1)) throw new GemachError("LIMIT_UNFIT", { method: "stream" });
    if (state.cursor?.side === "before")
      throw new GemachError("CURSOR_UNFIT", { reason: "a stream goes forwards, so that it takes no before()" });
    let rest = state.limit ?? Number.POSITIVE_INFINITY;
    let at: Pick<QueryState, "cursor" | "offset"> = { cursor: state.cursor, offset: state.offset };
    while (rest > 0) {
      const size = Math.min(chunk, rest);
      const statement = this.#compile(cutAnew(state, { ...at, limit: size + 1 }), planSlice);
      const steps = () => fetchSlice(statement, size, "after", this.#runtime, state.given?.values);
      const slice = (await this.#run(steps, this.#free(statement))) as Slice<Row>;
      yield* slice.rows;
      if (slice.next === null) return;
      rest -= slice.rows.length;
      at = { cursor: { text: slice.next, side: "after" }, offset: undefined };
    }
  }

  /**
   * Inserts rows, all or none. With `returning` it gives the rows as the database has them, defaults and
   * identities included: whole ones, or what a function names of each.
   * @returns how many, or the rows.
   */
  async insert<D extends Definitions, E extends EntityName<D>>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
  ): Promise<number>;
  async insert<D extends Definitions, E extends EntityName<D>>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options: { readonly returning: true },
  ): Promise<PlainRow<D, E>[]>;
  async insert<D extends Definitions, E extends EntityName<D>, const S extends Selection>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options: { readonly returning: (row: OwnRow<ColumnsOf<D, E>>) => S },
  ): Promise<Selected<S>[]>;
  async insert(given: unknown, rows: readonly unknown[], options: { returning?: unknown } = {}): Promise<unknown> {
    const entity = entityIn(given, "insert");
    const wish = options.returning as ReturningWish;
    const { steps, statements } = insertSteps(entity, rows as readonly GivenRow[], wish, this.#runtime);
    return await this.#run(steps, statements > 1 ? "always" : "no");
  }

  /**
   * Inserts rows, or changes those that are there already, all or none.
   * @returns how many rows were given, or the rows as they are now.
   */
  async upsert<D extends Definitions, E extends EntityName<D>>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options?: UpsertOptions<D, E>,
  ): Promise<number>;
  async upsert<D extends Definitions, E extends EntityName<D>>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options: UpsertOptions<D, E> & { readonly returning: true },
  ): Promise<PlainRow<D, E>[]>;
  async upsert<D extends Definitions, E extends EntityName<D>, const S extends Selection>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options: UpsertOptions<D, E> & { readonly returning: (row: OwnRow<ColumnsOf<D, E>>) => S },
  ): Promise<Selected<S>[]>;
  async upsert(given: unknown, rows: readonly unknown[], options: unknown = {}): Promise<unknown> {
    const entity = entityIn(given, "upsert");
    const {
      by,
      set = "given",
      returning,
    } = options as {
      readonly by?: readonly string[];
      readonly set?: ConflictSet;
      readonly returning?: ReturningWish;
    };
    const { steps, statements } = insertSteps(entity, rows as readonly GivenRow[], returning, this.#runtime, {
      by,
      set,
    });
    return await this.#run(steps, statements > 1 ? "always" : "no");
  }

  /**
   * Inserts the rows of a query, which names the columns; no row leaves the database.
   * @returns how many.
   */
  async insertFrom<D extends Definitions, E extends EntityName<D>>(
    entity: Entity<D, E>,
    query: Query<NewRow<D, E>>,
  ): Promise<number> {
    const steps = insertFromSteps(entityIn(entity, "insertFrom"), stateOf(query, "insertFrom"), this.#runtime);
    return await this.#run(steps, "no");
  }

  /**
   * Changes the rows of a query by one statement: gives columns values, or expressions of the row's own
   * columns. A query without any condition is refused unless `all` is said.
   * @returns how many, or the rows as they are now (not on MariaDB, which has no such statement).
   */
  async update<D extends Definitions, E extends EntityName<D>>(
    query: EntityQuery<D, E, unknown>,
    changes: NoInfer<ChangesOf<D, E> | ((row: OwnRow<ColumnsOf<D, E>>) => ChangesOf<D, E>)>,
    options?: { readonly all?: boolean },
  ): Promise<number>;
  async update<D extends Definitions, E extends EntityName<D>>(
    query: EntityQuery<D, E, unknown>,
    changes: NoInfer<ChangesOf<D, E> | ((row: OwnRow<ColumnsOf<D, E>>) => ChangesOf<D, E>)>,
    options: { readonly all?: boolean; readonly returning: true },
  ): Promise<PlainRow<D, E>[]>;
  async update<D extends Definitions, E extends EntityName<D>, const S extends Selection>(
    query: EntityQuery<D, E, unknown>,
    changes: NoInfer<ChangesOf<D, E> | ((row: OwnRow<ColumnsOf<D, E>>) => ChangesOf<D, E>)>,
    options: { readonly all?: boolean; readonly returning: (row: OwnRow<ColumnsOf<D, E>>) => S },
  ): Promise<Selected<S>[]>;
  async update(
    query: unknown,
    changes: unknown,
    options: { all?: boolean; returning?: unknown } = {},
  ): Promise<unknown> {
    const { all = false, returning } = options;
    const state = stateOf(query, "update");
    return await this.#run(updateSteps(state, changes, returning as ReturningWish, all, this.#runtime), "no");
  }

  /**
   * Deletes the rows of a query by one statement. A query without any condition is refused unless `all` is said.
   * @returns how many, or the rows as they were.
   */
  async delete<D extends Definitions, E extends EntityName<D>>(
    query: EntityQuery<D, E, unknown>,
    options?: { readonly all?: boolean },
  ): Promise<number>;
  async delete<D extends Definitions, E extends EntityName<D>>(
    query: EntityQuery<D, E, unknown>,
    options: { readonly all?: boolean; readonly returning: true },
  ): Promise<PlainRow<D, E>[]>;
  async delete<D extends Definitions, E extends EntityName<D>, const S extends Selection>(
    query: EntityQuery<D, E, unknown>,
    options: { readonly all?: boolean; readonly returning: (row: OwnRow<ColumnsOf<D, E>>) => S },
  ): Promise<Selected<S>[]>;
  async delete(query: unknown, options: { all?: boolean; returning?: unknown } = {}): Promise<unknown> {
    const { all = false, returning } = options;
    return await this.#run(deleteSteps(stateOf(query, "delete"), returning as ReturningWish, all, this.#runtime), "no");
  }

  /** The statement of a query; of a template's the same one for all that it is run with. */
  #compile(query: QueryState, planner: Planner): CompiledStatement {
    return this.#compiled(query.given?.template ?? query, planner);
  }

  /** The rows of one statement that feeds no other, without the machinery that others need; undefined where it does. */
  #alone(
    statement: CompiledStatement,
    state: QueryState,
  ): readonly unknown[] | Promise<readonly unknown[]> | undefined {
    if (!isAlone(statement) || this.#connection.isObserved()) return undefined;
    const runtime = this.#runtime;
    const answer = this.#connection.send(requestOf(statement, runtime, [], state.given?.values));
    return answer instanceof Promise
      ? answer.then((rows) => objectsOf(statement, rows, runtime))
      : objectsOf(statement, answer, runtime);
  }

  /** Several statements see one state where that costs nothing. */
  #free(statement: CompiledStatement): "free" | "no" {
    return statement.fed.size > 0 ? "free" : "no";
  }

  #run<R>(steps: () => Steps<R>, together: RunOptions["together"]): R | Promise<R> {
    const at = this.#connection.isObserved() ? callSite() : undefined;
    return this.#connection.run(steps, { at, together });
  }

  #countSteps(state: QueryState): () => Steps<number> {
    const statement = this.#compile(state, planCount);
    const runtime = this.#runtime;
    return function* (): Steps<number> {
      const [count] = yield* fetch(statement, runtime, state.given?.values);
      return count as number;
    };
  }

  async #one<Row>(state: QueryState, expected: string): Promise<readonly Row[]> {
    const statement = this.#compile(state, planSingle);
    const alone = this.#alone(statement, state);
    if (alone !== undefined) {
      const found = await alone;
      if (found.length < 2) return found as readonly Row[];
    }
    const count = () => this.#countSteps(state)();
    const check = function* (found: number): Steps<void> {
      if (found < 2) return;
      throw new GemachError("SEVERAL_FOUND", { entity: state.source.entity.name, found: yield* count(), expected });
    };
    return (await this.#run(
      () => fetch(statement, this.#runtime, state.given?.values, check),
      this.#free(statement),
    )) as readonly Row[];
  }
}

function entityIn(given: unknown, call: string): ResolvedEntity {
  if (!isEntity(given)) throw new GemachError("ENTITY_EXPECTED", { call });
  return resolve(given);
}

/** The same query, cut elsewhere: no longer what its template was compiled to. */
const cutAnew = (state: QueryState, cut: Partial<QueryState>): QueryState => ({ ...state, ...cut, given: undefined });

const knownOptions: readonly (keyof DatabaseOptions)[] = ["how", "generateCode", "clock"];

/**
 * A database over a driver: `database(sqlite(handle))`. It opens nothing and sends nothing by itself.
 * @throws GemachError `OPTION_UNKNOWN`, `STRATEGY_UNKNOWN`
 */
export function database(driver: Driver, options: DatabaseOptions = {}): Database {
  for (const option of Object.keys(options))
    if (!knownOptions.includes(option as keyof DatabaseOptions))
      throw new GemachError("OPTION_UNKNOWN", { call: "database()", option, known: knownOptions });
  return new Database(driver, options);
}
