import { typeWord } from "../../columns/index.js";
import { expectOptions, GemachError } from "../../errors/index.js";
import type { Query, ResolvedEntity } from "../../ir/index.js";
import {
  type ColumnsOf,
  type Definitions,
  type Entity,
  type EntityName,
  entityIn,
  type NewRow,
  type OwnRow,
  type PlainRow,
} from "../../model/index.js";
import {
  type ConflictSet,
  type GivenRow,
  planDelete,
  planInsert,
  planInsertFrom,
  planRestore,
  planUpdate,
  type ReturningOption,
  refuseOtherSet,
  rowList,
  type WritePlan,
  withGiven,
} from "../../plan/index.js";
import {
  type EntityChanges,
  type EntityQuery,
  type QueryOfRows,
  type RawCommand,
  type Reference,
  type RowChange,
  rawIn,
  type Selected,
  type Selection,
  stateOf,
  type UpsertOptions,
} from "../../query/index.js";
import { andThen, type MaybePromise } from "../sessions/driver.js";
import type { Steps } from "../sessions/steps.js";
import { isLimited, type Limits, limitNames } from "../sessions/stop.js";
import type { VerbOrigin } from "../watching/origin.js";
import { type Context, noLimits, originOf, run, valuesFor } from "./context.js";
import { hiddenCheckOf, mayRefer } from "./hidden.js";
import { insertInTurn, isSource, type RowSource } from "./insert-rows.js";
import { onDemand } from "./late.js";
import { rawCount } from "./raw.js";
import { Reads } from "./reads.js";
import type { HiddenCheck } from "./references.js";
import { telling } from "./telling.js";
import { heldUpsert } from "./upsert.js";
import { changeRequest, writing, writtenRows } from "./write.js";

/** Options of an insert of rows that come one after the other. */
export interface InsertProgress extends Limits {
  /** Is told after each portion how many rows were inserted so far; they are there for others once all of them are. */
  readonly progress?: (inserted: number) => void;
}

/** What a write may return of its rows: whole ones, or what a function names of each. */
export type Returning<D extends Definitions<D>, E extends EntityName<D>> =
  | true
  | ((row: OwnRow<ColumnsOf<D, E>>) => Selection);

/**
 * in: the option `returning`, or all that it may be where it is left out; out: what the write resolves to: rows, or
 * without the option their number.
 */
export type Returned<D extends Definitions<D>, E extends EntityName<D>, S> =
  Returning<D, E> extends S ? number : ReturnedBy<D, E, S>;

type ReturnedBy<D extends Definitions<D>, E extends EntityName<D>, S> = S extends true
  ? PlainRow<D, E>[]
  : S extends (row: never) => infer R
    ? Selected<R>[]
    : number;

const insertOptions = ["returning", ...limitNames];
const upsertOptions = ["by", "set", ...insertOptions];
const changeOptions = ["all", ...insertOptions];

/** Options of a write that finds its rows by a query, as they are given. */
type GivenChange = { readonly all?: boolean; readonly returning?: unknown } & Limits;

/** Work that is done once it was looked at what it refers to. */
const checkedFirst = <R>(check: HiddenCheck | undefined, steps: () => Steps<R>): (() => Steps<R>) =>
  check === undefined
    ? steps
    : function* () {
        yield* check();
        return yield* steps();
      };

function changeIn(call: string, query: unknown, options: GivenChange) {
  expectOptions(call, options, changeOptions);
  const { all = false, returning } = options;
  return { state: stateOf(query, call), change: { all, returning: returning as ReturningOption } };
}

/** The verbs that write, beside those that read. */
export abstract class Verbs extends Reads {
  readonly #context: Context;

  /** @internal */
  constructor(context: Context) {
    super(context);
    this.#context = context;
  }

  /** Does work in a transaction, inside of this one where there is one. */
  abstract transaction<R>(work: (tx: Verbs) => Promise<R>, options?: Limits): Promise<R>;

  #refuseReadOnly(call: string): void {
    if (this.#context.isReadOnly) throw new GemachError("TRANSACTION_READ_ONLY", { call });
  }

  /** Sends what a plan says: several statements all or none. */
  #write(plan: WritePlan, origin: VerbOrigin, limits: Limits): MaybePromise<unknown> {
    return telling(this.#context, plan, () => this.#writeBare(plan, origin, limits));
  }

  #writeBare(plan: WritePlan, origin: VerbOrigin, limits: Limits): MaybePromise<unknown> {
    const { compiler, sender } = this.#context;
    this.#refuseReadOnly(origin.verb);
    const state = origin.query === undefined ? undefined : stateOf(origin.query, origin.verb);
    const given = valuesFor(this.#context, { given: state?.given });
    if (mayRefer(this.#context, plan)) {
      const { steps } = writing(plan, compiler.runtime, given, true);
      return hiddenCheckOf(this.#context, [plan]).then((check) =>
        run(this.#context, checkedFirst(check, steps), "always", origin, limits),
      );
    }
    const known = compiler.change(plan, given);
    // One statement goes without the machinery that several, ledgers and limits need.
    const isPlain = !sender.watch.isWatched() && !isLimited(limits);
    if (isPlain && known !== undefined) return andThen(sender.send(changeRequest(plan, known)), writtenRows);
    const write = writing(plan, compiler.runtime, given, this.#context.isTransaction, known);
    if (isPlain && write.alone !== undefined) return andThen(sender.send(write.alone), write.resultOf);
    return run(this.#context, write.steps, write.isSeveral ? "always" : "no", origin, limits);
  }

  /**
   * Inserts rows, all or none. With `returning` it returns the rows as the database has them, defaults and
   * identities included: whole ones, or what a function names of each.
   *
   * Rows that come one after the other, of an iterable that is no array, are inserted some thousand at a time: however
   * many there are, no more than these are held in memory. The transaction is open until the last of them has come;
   * they take no `returning`.
   * @returns how many, or the rows.
   */
  async insert<D extends Definitions<D>, E extends EntityName<D>, const S extends Returning<D, E> | undefined>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[] | Iterable<NewRow<D, E>> | AsyncIterable<NewRow<D, E>>,
    options?: { readonly returning?: S } & InsertProgress,
  ): Promise<Returned<D, E, S>>;
  async insert(
    to: unknown,
    rows: readonly unknown[] | RowSource,
    options: { returning?: unknown } & InsertProgress = noLimits,
  ): Promise<unknown> {
    const entity = entityIn(to, "insert");
    const origin = originOf(this.#context, "insert", Verbs.prototype.insert);
    if (!isSource(rows)) {
      expectOptions("insert", options, insertOptions);
      return this.#insert(entity, rows, options.returning as ReturningOption, origin, options);
    }
    expectOptions("insert", options, ["progress", ...limitNames]);
    const { progress, ...limits } = options;
    this.#refuseReadOnly("insert");
    return this.transaction((tx) => {
      const insert = (some: readonly unknown[], before: number) =>
        tx.#insert(entity, some, undefined, origin, noLimits, before);
      return insertInTurn(rows, insert, progress);
    }, limits);
  }

  #insert(
    entity: ResolvedEntity,
    rows: readonly unknown[],
    returning: ReturningOption,
    origin: VerbOrigin,
    limits: Limits,
    before = 0,
  ): MaybePromise<unknown> {
    const { values, compiler } = this.#context;
    const given = withGiven(entity, rowList<GivenRow>(rows, entity, "insert"), values, "insert", before);
    const rules = compiler.runtime.dialect.writes.portions;
    return this.#write(planInsert(entity, given, { returning, rules, before }), origin, limits);
  }

  /**
   * Inserts rows, or changes those that are there already, all or none.
   * @returns how many rows were given, or the rows as they are now.
   */
  async upsert<D extends Definitions<D>, E extends EntityName<D>, const S extends Returning<D, E> | undefined>(
    entity: Entity<D, E>,
    rows: readonly NewRow<D, E>[],
    options?: UpsertOptions<D, E> & { readonly returning?: S } & Limits,
  ): Promise<Returned<D, E, S>>;
  async upsert(to: unknown, rows: readonly unknown[], options: object = noLimits): Promise<unknown> {
    expectOptions("upsert", options, upsertOptions);
    const entity = entityIn(to, "upsert");
    const {
      by,
      set = "given",
      returning,
    } = options as {
      readonly by?: readonly string[];
      readonly set?: ConflictSet;
      readonly returning?: ReturningOption;
    };
    const given = withGiven(entity, rowList<GivenRow>(rows, entity, "upsert"), this.#context.values, "upsert");
    const plan = planInsert(entity, given, {
      returning,
      conflict: { by, set },
      rules: this.#context.compiler.runtime.dialect.writes.portions,
    });
    const origin = originOf(this.#context, "upsert", Verbs.prototype.upsert);
    const held = heldUpsert(this.#context, entity, { to, rows: given, by });
    if (held === undefined) return this.#write(plan, origin, options);
    this.#refuseReadOnly("upsert");
    const { steps } = writing(plan, this.#context.compiler.runtime, this.#context.values, true);
    const checked = checkedFirst(await hiddenCheckOf(this.#context, [plan]), steps);
    return await telling(this.#context, plan, () => run(this.#context, held(checked), "always", origin, options));
  }

  /**
   * Inserts the rows of a query, which names the columns; no row leaves the database.
   * @returns how many.
   */
  async insertFrom<D extends Definitions<D>, E extends EntityName<D>>(
    entity: Entity<D, E>,
    query: QueryOfRows<D, E>,
    limits: Limits = noLimits,
  ): Promise<number> {
    expectOptions("insertFrom", limits, limitNames);
    const plan = planInsertFrom(entityIn(entity, "insertFrom"), stateOf(query, "insertFrom"));
    const origin = originOf(this.#context, "insertFrom", Verbs.prototype.insertFrom, query);
    return (await this.#write(plan, origin, limits)) as number;
  }

  /**
   * Changes the rows of a query by one statement: gives columns values, or expressions of the row: of its columns, of
   * what a path or a set of its relations tells, of the first row of another query (`firstOf`). A query without any
   * condition is refused unless `all` is said.
   * @returns how many, or the rows as they are now (not on MariaDB, which has no such statement).
   */
  async update<D extends Definitions<D>, E extends EntityName<D>, const S extends Returning<D, E> | undefined>(
    query: EntityQuery<D, E, unknown>,
    changes: EntityChanges<D, E> | NoInfer<(row: Reference<D, E>) => EntityChanges<D, E>>,
    options?: { readonly all?: boolean; readonly returning?: S } & Limits,
  ): Promise<Returned<D, E, S>>;
  async update(
    query: unknown,
    changes: unknown,
    options: { all?: boolean; returning?: unknown } & Limits = noLimits,
  ): Promise<unknown> {
    expectOptions("update", options, changeOptions);
    const { all = false, returning } = options;
    const state = stateOf(query, "update");
    const plan = planUpdate(state, changes, { all, returning: returning as ReturningOption });
    refuseOtherSet(state, plan.set, this.#context.values);
    return this.#write(plan, originOf(this.#context, "update", Verbs.prototype.update, query as Query), options);
  }

  /**
   * Changes rows that are named by their keys, each to values of its own, all or none: rows that change the same
   * columns go together in few statements. A key that no row has changes nothing. Of a row that brings its version, the
   * row must be as it was read at that version.
   * @returns how many rows there were.
   * @throws GemachError `CONFLICT` where a row has another version by now, or is gone
   */
  async updateRows<D extends Definitions<D>, E extends EntityName<D>>(
    entity: Entity<D, E>,
    rows: readonly RowChange<D, E>[],
    limits: Limits = noLimits,
  ): Promise<number> {
    expectOptions("updateRows", limits, limitNames);
    const resolved = entityIn(entity, "updateRows");
    const given = rowList<GivenRow>(rows, resolved, "updateRows");
    this.#refuseReadOnly("updateRows");
    const { compiler, values } = this.#context;
    const origin = originOf(this.#context, "updateRows", Verbs.prototype.updateRows);
    const { updatingRows } = await onDemand();
    const { plans, steps } = updatingRows(resolved, given, values, compiler.runtime);
    const check = await hiddenCheckOf(this.#context, plans);
    const checked = checkedFirst(check, steps);
    const isSeveral = rows.length > 1 || check !== undefined;
    const [first] = plans;
    return await telling(this.#context, first, () =>
      run(this.#context, checked, isSeveral ? "always" : "no", origin, limits),
    );
  }

  /**
   * Deletes the rows of a query by one statement. A query without any condition is refused unless `all` is said. Rows
   * of an entity that has a standing condition with `removed` are marked, and stay: see `deleteForGood` and `restore`.
   * @returns how many, or the rows as they were (marked ones as they are now).
   */
  async delete<D extends Definitions<D>, E extends EntityName<D>, const S extends Returning<D, E> | undefined>(
    query: EntityQuery<D, E, unknown>,
    options?: { readonly all?: boolean; readonly returning?: S } & Limits,
  ): Promise<Returned<D, E, S>>;
  async delete(query: unknown, options: GivenChange = noLimits): Promise<unknown> {
    const { state, change } = changeIn("delete", query, options);
    const origin = originOf(this.#context, "delete", Verbs.prototype.delete, query as Query);
    return this.#write(planDelete(state, { ...change, isForGood: false }), origin, options);
  }

  /**
   * Deletes the rows of a query by one statement, also those that `delete` would only mark: with `.lift()` of the
   * condition those that are marked already.
   * @returns how many, or the rows as they were.
   */
  async deleteForGood<D extends Definitions<D>, E extends EntityName<D>, const S extends Returning<D, E> | undefined>(
    query: EntityQuery<D, E, unknown>,
    options?: { readonly all?: boolean; readonly returning?: S } & Limits,
  ): Promise<Returned<D, E, S>>;
  async deleteForGood(query: unknown, options: GivenChange = noLimits): Promise<unknown> {
    const { state, change } = changeIn("deleteForGood", query, options);
    const origin = originOf(this.#context, "deleteForGood", Verbs.prototype.deleteForGood, query as Query);
    return this.#write(planDelete(state, { ...change, isForGood: true }), origin, options);
  }

  /**
   * Makes the rows of a query visible again that are marked as removed, by one statement; the query needs no `.lift()`.
   * @returns how many, or the rows as they are now.
   * @throws GemachError `MARK_MISSING` where the entity has no standing condition with `removed`
   */
  async restore<D extends Definitions<D>, E extends EntityName<D>, const S extends Returning<D, E> | undefined>(
    query: EntityQuery<D, E, unknown>,
    options?: { readonly all?: boolean; readonly returning?: S } & Limits,
  ): Promise<Returned<D, E, S>>;
  async restore(query: unknown, options: GivenChange = noLimits): Promise<unknown> {
    const { state, change } = changeIn("restore", query, options);
    const origin = originOf(this.#context, "restore", Verbs.prototype.restore, query as Query);
    return this.#write(planRestore(state, change), origin, options);
  }

  /**
   * Sends a statement of one's own that gives no rows: `sql.command`.
   * @returns how many rows it wrote.
   */
  async send(command: RawCommand, limits: Limits = noLimits): Promise<number> {
    expectOptions("send", limits, limitNames);
    const raw = rawIn(command);
    if (raw === undefined) throw new GemachError("QUERY_EXPECTED", { call: "send", got: typeWord(command) });
    this.#refuseReadOnly("send");
    const { compiler } = this.#context;
    const origin = originOf(this.#context, "send", Verbs.prototype.send);
    return await run(this.#context, () => rawCount(raw, compiler.runtime), "no", origin, limits);
  }
}
