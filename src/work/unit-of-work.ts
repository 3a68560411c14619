import { expectOptions, GemachError, workError } from "../errors/index.js";
import {
  entitiesRead,
  hasOwnSql,
  type OutsideRule,
  type Query,
  type QueryState,
  type ResolvedEntity,
} from "../ir/index.js";
import {
  type AddedRow,
  type BroughtLive,
  type Live,
  type LiveEntity,
  type LiveObject,
  liveStateOf,
} from "../live/index.js";
import { type Definitions, type Entity, type EntityName, entityIn, type KeyOf, type PlainRow } from "../model/index.js";
import { type EntityQuery, type Reached, type ReachFaults, type ReachShape, reachOf } from "../query/index.js";
import {
  type CallSite,
  type Context,
  callSite,
  type Limits,
  noLimits,
  type Page,
  type Portion,
  Reads,
  readHiddenChecks,
  run,
  tellingError,
  type Verbs,
} from "../run/index.js";
import { add } from "./add.js";
import { adopt, leave } from "./adopt.js";
import { changedIn, isUnwritten, pendingIn } from "./changes.js";
import { flushSteps } from "./flush.js";
import { isTied, unload, unloadTo } from "./follow.js";
import { touchGuarding } from "./guarding.js";
import { callHooks, type Hooks } from "./hooks.js";
import { keyReads } from "./key-reads.js";
import { isLive, liveQuery } from "./live-query.js";
import { reachLive, renew, rowNow } from "./load.js";
import { goesWith, removeOwned, removeWhole, removeWith } from "./owned.js";
import { type PatchOptions, patch } from "./patch.js";
import { properties } from "./properties.js";
import { expectLive } from "./relations.js";
import { restore } from "./restore.js";
import { newCohort, ownOrigin, type Unit } from "./unit.js";
import { maintain } from "./updates.js";
import { whole } from "./whole.js";

/** Settings of a unit of work. */
export interface WorkOptions {
  /** The rule for reading what no query has brought, where the query does not say; "load" by default. */
  readonly outside?: OutsideRule;
  /** The most entities that a lazy read loads for; 1 switches cohorts off. No limit by default. */
  readonly cohort?: number;
  /** Whether a query first writes the changes that it might miss; true by default. */
  readonly flushes?: boolean;
}

export const workOptionNames = ["outside", "cohort", "flushes"] as const;

/** The reading verbs of a unit of work: live entities in place of an entity's plain rows; projections stay plain. */
export interface LiveReads {
  /** All rows of a query, in its order. */
  list<D extends Definitions<D>, E extends EntityName<D>, Row>(
    query: EntityQuery<D, E, Row>,
    limits?: Limits,
  ): Promise<BroughtLive<D, E, Row>[]>;
  list<Row>(query: Query<Row>, limits?: Limits): Promise<Row[]>;
  /**
   * The one row of a query.
   * @throws GemachError `NONE_FOUND`, or `SEVERAL_FOUND` with their number.
   */
  single<D extends Definitions<D>, E extends EntityName<D>, Row>(
    query: EntityQuery<D, E, Row>,
    limits?: Limits,
  ): Promise<BroughtLive<D, E, Row>>;
  single<Row>(query: Query<Row>, limits?: Limits): Promise<Row>;
  /**
   * The one row of a query, or null.
   * @throws GemachError `SEVERAL_FOUND` with their number.
   */
  maybe<D extends Definitions<D>, E extends EntityName<D>, Row>(
    query: EntityQuery<D, E, Row>,
    limits?: Limits,
  ): Promise<BroughtLive<D, E, Row> | null>;
  maybe<Row>(query: Query<Row>, limits?: Limits): Promise<Row | null>;
  /** The number of a query's rows, counted by the database. */
  count(query: Query, limits?: Limits): Promise<number>;
  /** Whether a query has any row. */
  exists(query: Query, limits?: Limits): Promise<boolean>;
  /** One page of a query's rows, as of a database. */
  page<D extends Definitions<D>, E extends EntityName<D>, Row>(
    query: EntityQuery<D, E, Row>,
    options: { readonly size: number; readonly number?: number } & Limits,
  ): Promise<Page<BroughtLive<D, E, Row>>>;
  page<Row>(
    query: Query<Row>,
    options: { readonly size: number; readonly number?: number } & Limits,
  ): Promise<Page<Row>>;
  /** So many rows of a query with cursors to go on from, as of a database. */
  portion<D extends Definitions<D>, E extends EntityName<D>, Row>(
    query: EntityQuery<D, E, Row>,
    size: number,
    limits?: Limits,
  ): Promise<Portion<BroughtLive<D, E, Row>>>;
  portion<Row>(query: Query<Row>, size: number, limits?: Limits): Promise<Portion<Row>>;
  /** The rows of a query one after the other. All that were taken stay in memory until the unit of work ends. */
  stream<D extends Definitions<D>, E extends EntityName<D>, Row>(
    query: EntityQuery<D, E, Row>,
    options?: { readonly chunk?: number } & Limits,
  ): AsyncIterableIterator<BroughtLive<D, E, Row>>;
  stream<Row>(query: Query<Row>, options?: { readonly chunk?: number } & Limits): AsyncIterableIterator<Row>;
}

const LiveReads = Reads as new (context: Context) => LiveReads;

/** A unit of work, with what ends it. */
export interface OpenWork<T extends Verbs> {
  readonly w: UnitOfWork<T>;
  /** Writes what is not written yet. */
  finish(): Promise<void>;
  /** Its entities load nothing any more. */
  end(): void;
}

/** Nothing is changed by what comes after the end. */
function expectOpen({ isEnded }: Unit): void {
  if (isEnded) throw new GemachError("TRANSACTION_ENDED", { isLent: false });
}

/** The entities that a query reads; undefined where SQL of one's own may read any. */
const whatIsRead = (state: QueryState): ReadonlySet<ResolvedEntity> | undefined =>
  hasOwnSql(state) ? undefined : entitiesRead(state);

/** Opens a unit of work over what sends to one transaction. */
export function openWork<T extends Verbs>(
  context: Context,
  tx: T,
  { outside = "load", cohort = Number.POSITIVE_INFINITY, flushes = true }: WorkOptions,
  hooks: Hooks | undefined,
  afterCommit: (work: () => unknown) => void,
): OpenWork<T> {
  let failure: { readonly error: unknown } | undefined;
  const refuseFailed = (): void => {
    if (failure !== undefined) throw workError("WORK_FAILED", {}, { cause: failure.error });
  };
  let flushing: Promise<void> | undefined;
  const write = async (verb: string, at: CallSite | undefined): Promise<void> => {
    if (context.values !== undefined) unit.hiddenCheck ??= await readHiddenChecks();
    const later = await removeOwned(unit);
    await touchGuarding(unit);
    maintain(changedIn(unit));
    const after = hooks === undefined ? undefined : await callHooks(unit, hooks, afterCommit);
    await run(context, () => flushSteps(unit), "no", ownOrigin(verb, at), noLimits);
    await after?.();
    for (const [child, owner] of later) removeWith(unit, child, owner);
    if (later.size > 0) await write(verb, at);
  };
  const flush = async (verb: string, at: CallSite | undefined): Promise<void> => {
    refuseFailed();
    while (flushing !== undefined) await flushing;
    if (!isUnwritten(unit, undefined, goesWith)) return;
    try {
      flushing = write(verb, at);
      await flushing;
    } catch (thrown) {
      const error = await tellingError(context, unit.writing, thrown);
      failure = { error };
      throw error;
    } finally {
      flushing = undefined;
    }
  };
  const unit: Unit = {
    context,
    settings: { outside, cohort, flushes },
    properties,
    maps: new Map(),
    fresh: newCohort(undefined),
    added: new Set(),
    removed: new Set(),
    waiting: new Set(),
    distant: new Map(),
    forGood: new Set(),
    goneWith: new Map(),
    touched: new Set(),
    partial: new Set(),
    hiddenCheck: undefined,
    writing: undefined,
    isEnded: false,
    forgets: false,
    flushFor: async (entities) => {
      refuseFailed();
      const isEmpty = unit.maps.size === 0 && unit.added.size === 0;
      if (flushes && !isEmpty && isUnwritten(unit, entities(), goesWith))
        await flush("flush before a query", undefined);
    },
  };
  const reading: Context["live"] = {
    written: () => unit.flushFor(() => undefined),
    ready: async (state) => {
      await unit.flushFor(() => whatIsRead(state));
      return liveQuery(state);
    },
    rows: (state, rows, { at }) => {
      if (!isLive(state)) return rows;
      const lives = adopt(unit, state, rows as LiveObject[], newCohort(at), undefined, true);
      return whole(unit, state, lives, at)?.then(() => lives) ?? lives;
    },
  };
  const { compiler, sender, isSnapshot, isReadOnly, isTransaction, values } = context;
  const own: Context = { compiler, sender, isSnapshot, isReadOnly, isTransaction, values, live: reading };
  const w = new UnitOfWork(own, unit, tx, flush, afterCommit);
  return {
    w,
    finish: () => flush("flush", undefined),
    end: () => {
      unit.isEnded = true;
    },
  };
}

/**
 * A unit of work: one transaction, in which each row is one live entity. What is changed, added and removed is written
 * at its end, or by `flush`. Made by `db.work()`, and of no use after its end; its entities stay readable for what is
 * loaded.
 */
export class UnitOfWork<T extends Verbs = Verbs> extends LiveReads {
  /**
   * The transaction's own verbs, with plain rows: for statements that write many rows. They know nothing of entities,
   * nor of changes that are not written: `flush` before, and `refresh` after, where that matters.
   */
  readonly tx: T;
  readonly #unit: Unit;
  readonly #flush: (verb: string, at: CallSite | undefined) => Promise<void>;
  readonly #afterCommit: (work: () => unknown) => void;
  readonly #byKey: ReturnType<typeof keyReads>;

  /** @internal */
  constructor(
    context: Context,
    unit: Unit,
    tx: T,
    flush: (verb: string, at: CallSite | undefined) => Promise<void>,
    afterCommit: (work: () => unknown) => void,
  ) {
    super(context);
    this.#unit = unit;
    this.tx = tx;
    this.#flush = flush;
    this.#afterCommit = afterCommit;
    this.#byKey = keyReads(unit);
  }

  #at(verb: unknown): CallSite | undefined {
    return this.#unit.context.sender.watch.isWatched() ? callSite(verb, 3) : undefined;
  }

  /**
   * The entity of a primary key. It costs no statement where it is there already; those that are asked for in one tick
   * are fetched by one.
   * @throws GemachError `NONE_FOUND`
   */
  byKey<D extends Definitions<D>, E extends EntityName<D>>(
    entity: Entity<D, E>,
    key: KeyOf<D, E>,
  ): Promise<Live<D, E>> {
    const at = this.#at(UnitOfWork.prototype.byKey);
    // No function that awaits: many are asked for at once, and each wait is one more promise.
    try {
      const found = this.#byKey(entityIn(entity, "byKey"), key, at);
      return (found instanceof Promise ? found : Promise.resolve(found)) as Promise<Live<D, E>>;
    } catch (error) {
      return Promise.reject(error);
    }
  }

  /**
   * A new entity, to be inserted when changes are written. Relations take entities in place of keys; objects in their
   * place become new entities too. What the database gives it, such as its key, is there after `await w.flush()`.
   */
  add<D extends Definitions<D>, E extends EntityName<D>>(entity: Entity<D, E>, row: AddedRow<D, E>): Live<D, E> {
    expectOpen(this.#unit);
    return add(this.#unit, entityIn(entity, "add"), row) as Live<D, E>;
  }

  /**
   * An entity to be deleted when changes are written, with the rows that belong to it (`owns`). Where its entity has a
   * standing condition with `removed`, its row stays and is marked; rows that belong to it are marked where they can
   * be, and stay else.
   */
  remove(entity: LiveEntity): void {
    expectOpen(this.#unit);
    removeWhole(this.#unit, expectLive(this.#unit, entity, "remove()"));
  }

  /**
   * An entity to be deleted when changes are written, with the rows that belong to it, also where `remove` would only
   * mark them.
   */
  removeForGood(entity: LiveEntity): void {
    expectOpen(this.#unit);
    removeWhole(this.#unit, expectLive(this.#unit, entity, "removeForGood()"), true);
  }

  /**
   * An entity whose row is only marked as removed, brought by a query that lifts the condition, or whose removal is not
   * written yet: its row is visible again when changes are written, and so are the rows that were marked along with it.
   * @throws GemachError `LIVE_EXPECTED` where it was deleted
   */
  async restore(entity: LiveEntity): Promise<void> {
    expectOpen(this.#unit);
    await restore(this.#unit, entity);
  }

  /**
   * Applies a nested partial document, as an HTTP PATCH brings it (JSON Merge Patch, RFC 7396): columns that it names
   * are changed, null empties one, and objects go into value objects, documents and to-one relations. Rows of its
   * to-many relations are found by their keys, those without one are added, and those that it leaves out stay. Nothing
   * is applied where anything is wrong.
   * @throws GemachError `PATCH_REFUSED` with the issues, each with its path, `CONFLICT` where it names another version
   */
  async patch(entity: LiveEntity, document: object, options: PatchOptions = {}): Promise<void> {
    expectOptions("patch", options, ["removes", "only"]);
    expectOpen(this.#unit);
    await patch(this.#unit, expectLive(this.#unit, entity, "patch()"), document, options);
  }

  /** Writes what was changed, added and removed: nothing where nothing was. */
  async flush(): Promise<void> {
    await this.#flush("flush", this.#at(UnitOfWork.prototype.flush));
  }

  /** Brings relations onto entities that are there already, in one statement a relation and level. */
  async reach<
    D extends Definitions<D>,
    E extends EntityName<D>,
    L extends LiveEntity<E>,
    const S extends ReachShape<D, E>,
  >(
    entities: readonly L[],
    entity: Entity<D, E>,
    shape: S & NoInfer<ReachFaults<D, E, S>>,
  ): Promise<BroughtLive<D, E, Reached<D, E, PlainRow<D, E>, S>>[]> {
    const resolved = entityIn(entity, "reach");
    const at = this.#at(UnitOfWork.prototype.reach);
    const unit = this.#unit;
    const lives = entities.map((one) => expectLive(unit, one, "reach()", resolved));
    const state = liveQuery(reachOf(resolved, shape));
    await this.#flushFor(state);
    await reachLive(unit, state, lives, "reach", at, undefined);
    await whole(unit, state, lives, at);
    return lives as BroughtLive<D, E, Reached<D, E, PlainRow<D, E>, S>>[];
  }

  async #flushFor(state: QueryState): Promise<void> {
    await this.#unit.flushFor(() => whatIsRead(state));
  }

  /**
   * Reads an entity's columns anew; changes that are not written are lost, and its relations are loaded again when they
   * are asked for.
   * @throws GemachError `NONE_FOUND` where its row is gone
   */
  async refresh(entity: LiveEntity): Promise<void> {
    const live = expectLive(this.#unit, entity, "refresh()");
    const liveState = liveStateOf(live);
    const row = await rowNow(this.#unit, live, liveState, this.#at(UnitOfWork.prototype.refresh));
    if (row === undefined) throw new GemachError("NONE_FOUND", { entity: liveState.kind.entity.name, call: "refresh" });
    const pending = pendingIn(live, liveState);
    const isMoved = pending.length > 0 && isTied(liveState.kind.entity, pending);
    liveState.awaits = undefined;
    this.#unit.waiting.delete(live);
    renew(live, liveState, row);
    for (const name of [...(liveState.related?.keys() ?? [])]) unload(live, liveState, name);
    // Other rows have it in their relations still, or have it no longer.
    if (isMoved) unloadTo(this.#unit, liveState.kind.entity);
  }

  /** Looks no longer after an entity: its changes are not written, and a query brings its row as another one. */
  forget(entity: LiveEntity): void {
    expectOpen(this.#unit);
    const live = expectLive(this.#unit, entity, "forget()");
    const liveState = liveStateOf(live);
    this.#unit.added.delete(live);
    this.#unit.waiting.delete(live);
    leave(this.#unit, liveState.kind.entity, live);
    liveState.status = "forgotten";
    this.#unit.forgets = true;
  }

  /** Has something done once the whole transaction is committed; nothing is if it is not. */
  afterCommit(work: () => unknown): void {
    this.#afterCommit(work);
  }
}
