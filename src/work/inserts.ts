import { derived } from "../columns/index.js";
import { GemachError, workError } from "../errors/index.js";
import { qualified, type ResolvedColumn, type ResolvedEntity, type ResolvedRelation, valueAt } from "../ir/index.js";
import { type LiveObject, type LiveState, liveStateOf } from "../live/index.js";
import { planInsert, withGiven } from "../plan/index.js";
import { type Steps, writing } from "../run/index.js";
import { byEntity } from "./by-entity.js";
import { isTiedByKey, unloadTo } from "./follow.js";
import { identityOf } from "./identity.js";
import { defineField } from "./live-kind.js";
import { placeAt } from "./place-at.js";
import { giveColumn } from "./relations.js";
import { RowIndex, readNow, valuesText } from "./row-index.js";
import { snapshotOfRow } from "./snapshots.js";
import { mapOf, newCohort, ownRelations, type Unit } from "./unit.js";

/** Gives an entity the keys that it waits for, as far as they are there. */
function fillAwaited(live: LiveObject, state: LiveState): void {
  for (const [column, { of, column: key }] of state.awaits ?? []) {
    const { status, kind } = liveStateOf(of);
    if (status === "new") continue;
    if (status === "forgotten")
      throw new GemachError("LIVE_EXPECTED", {
        call: qualified(column),
        expected: `a ${kind.entity.name}`,
        got: "one that was removed before it was written",
      });
    giveColumn(live, state, column, valueAt(of, key.steps));
    state.awaits?.delete(column);
  }
  if (state.awaits?.size === 0) state.awaits = undefined;
}

/** A key that code has set since waits for no other row: the last assignment counts. */
export function dropAssigned({ waiting }: Unit): void {
  for (const live of waiting) {
    const state = liveStateOf(live);
    for (const column of state.awaits?.keys() ?? [])
      if (column.steps.length === 1 && Object.hasOwn(live, column.property)) state.awaits?.delete(column);
    if (state.awaits?.size === 0) state.awaits = undefined;
  }
}

/** Whether a new entity waits for the key that the database gives another one. */
const isWaiting = ({ awaits }: LiveState): boolean =>
  awaits !== undefined && [...awaits.values()].some(({ of }) => liveStateOf(of).status === "new");

/** An entity with plain rows. */
const bareOf = derived(
  (entity: ResolvedEntity): ResolvedEntity => (entity.make === undefined ? entity : { ...entity, make: undefined }),
);

/** Whether a new entity is as it was added, so that what was kept of it then is the very row. */
const isAsAdded = (live: LiveObject, { shape, kind, awaits, added, original }: LiveState): boolean =>
  added === undefined &&
  awaits === undefined &&
  kind.snapshots.size === 0 &&
  Object.keys(live).length === shape.names.length &&
  !shape.differs(live, original);

/**
 * The columns of a new entity as they are to be inserted; `later`: those that are null until a row is there that is new
 * too.
 */
function newRow(live: LiveObject, state: LiveState, later: readonly ResolvedColumn[]): LiveObject {
  if (later.length === 0 && isAsAdded(live, state)) return state.original;
  const { shape, kind, awaits, added } = state;
  const row: LiveObject = {};
  for (const name of added === undefined ? shape.names : kind.entity.members.keys()) {
    const value = Object.hasOwn(live, name) ? live[name] : undefined;
    if (value !== undefined) row[name] = value;
  }
  for (const { steps } of [...(awaits?.keys() ?? []), ...later]) {
    const first = steps[0] as string;
    // A value object stays what code has of it.
    if (steps.length > 1 && row[first] !== undefined) row[first] = structuredCopy(row[first]);
    placeAt(row, steps, null);
  }
  return row;
}

const structuredCopy = (value: unknown): unknown =>
  typeof value === "object" && value !== null && Object.getPrototypeOf(value) === Object.prototype
    ? Object.fromEntries(Object.entries(value).map(([name, inner]) => [name, structuredCopy(inner)]))
    : value;

/**
 * What new rows leave to the database; all of them where a value object is among it, whose columns may be given in
 * part.
 */
function leftOut({ members }: ResolvedEntity, rows: readonly LiveObject[]): readonly string[] | true | undefined {
  const missing = [...members].filter(([name]) => rows.some((row) => row[name] === undefined));
  if (missing.some(([, member]) => "fields" in member)) return true;
  const names = missing.flatMap(([name, member]) => ((member as ResolvedColumn).isHeavy ? [] : [name]));
  return names.length === 0 ? undefined : names;
}

/** What the database made of new rows, in their order; of rows that are as they were given, nothing. */
function* inserted(unit: Unit, entity: ResolvedEntity, rows: readonly LiveObject[]): Steps<readonly LiveObject[]> {
  const { runtime } = unit.context.compiler;
  const returning = leftOut(entity, rows);
  const given = withGiven(entity, rows, unit.context.values, "flush");
  const plan = planInsert(bareOf(entity), given, { returning, rules: runtime.dialect.writes.portions });
  unit.writing = plan;
  const check = unit.hiddenCheck?.(unit.context, [plan]);
  if (check !== undefined) yield* check();
  const written = yield* writing(plan, runtime, undefined, true).steps();
  return returning === undefined ? [] : (written as LiveObject[]);
}

/** Takes over what the database made of a row, but for what code has changed meanwhile. */
function takeOver(live: LiveObject, { kind, original }: LiveState, back: LiveObject): void {
  for (const name of Object.keys(back)) {
    const snapshot = kind.snapshots.get(name);
    const value = back[name];
    if (!Object.hasOwn(live, name)) defineField(live, name, value);
    else if (snapshot === undefined ? live[name] === original[name] : snapshot.isSame(live[name], original[name]))
      live[name] = value;
    original[name] = snapshot?.of(value) ?? value;
  }
}

/** Inserts new entities of one entity, and takes over what the database made of them. */
function* insertRows(
  unit: Unit,
  entity: ResolvedEntity,
  lives: readonly LiveObject[],
  laterOf: (live: LiveObject) => readonly ResolvedColumn[],
): Steps<void> {
  const rows = lives.map((live) => newRow(live, liveStateOf(live), laterOf(live)));
  // What code does to an entity while it is on its way is a change of its own.
  const prints = rows.map((row, i) => snapshotOfRow(liveStateOf(lives[i] as LiveObject), row));
  const made = yield* inserted(unit, entity, rows);
  const cohort = newCohort(undefined);
  const map = mapOf(unit, entity);
  for (let i = 0; i < lives.length; i++) {
    const live = lives[i] as LiveObject;
    const state = liveStateOf(live);
    state.original = prints[i] as LiveObject;
    const back = made[i];
    if (back !== undefined) takeOver(live, state, back);
    state.shape = state.kind.shapeFor(Object.keys(state.original));
    state.added = undefined;
    // What waits for a key is written once that is there.
    if (state.awaits !== undefined)
      for (const column of state.awaits.keys()) if (column.steps.length === 1) delete live[column.property];
    state.status = "kept";
    state.cohort = cohort;
    cohort.members.push(live);
    unit.added.delete(live);
    map.set(identityOf(entity, live), live);
  }
  if (lives.some((live) => isTiedByKey(live, liveStateOf(live)))) unloadTo(unit, entity);
}

/** Which new rows refer to others that are not written yet. */
class Ties {
  readonly #index: RowIndex;
  readonly #relations = new Map<ResolvedEntity, readonly ResolvedRelation[]>();

  constructor(added: Iterable<LiveObject>) {
    this.#index = new RowIndex(added, readNow);
  }

  /** The relations of an entity that may lead to a new row by a key that code has given. */
  #relationsOf(entity: ResolvedEntity): readonly ResolvedRelation[] {
    const known = this.#relations.get(entity) ?? ownRelations(entity).filter(({ target }) => this.#index.has(target));
    this.#relations.set(entity, known);
    return known;
  }

  /**
   * The columns by which a new row leads to another one that is not written: by a key that it waits for, or has
   * already.
   */
  columns(live: LiveObject): readonly ResolvedColumn[] {
    const state = liveStateOf(live);
    const columns = [...(state.awaits ?? [])].flatMap(([column, { of }]) =>
      liveStateOf(of).status === "new" ? [column] : [],
    );
    for (const { target, steps } of this.#relationsOf(state.kind.entity)) {
      const { pairs } = steps[0];
      const key = valuesText(
        live,
        pairs.map(({ from }) => from),
        readNow,
      );
      const other = this.#index.find(
        target,
        pairs.map(({ to }) => to),
        key,
      );
      if (other !== undefined && other !== live && liveStateOf(other).status === "new")
        columns.push(...pairs.map(({ from }) => from));
    }
    return columns;
  }
}

/** The columns of a tie that are null meanwhile: one that may be null undoes a key of several. */
const laterOf = (columns: readonly ResolvedColumn[]): readonly ResolvedColumn[] =>
  columns.filter(({ isNullable }) => isNullable);

const circular = (entities: Iterable<ResolvedEntity>): GemachError =>
  workError("ROWS_CIRCULAR", { entities: [...new Set([...entities].map(({ name }) => name))] });

/**
 * Refuses new rows that refer to each other in a circle by columns that may not be null: before anything is sent.
 * @throws GemachError `ROWS_CIRCULAR`
 */
export function refuseCircular(unit: Unit): void {
  if (unit.added.size === 0) return;
  const index = new RowIndex(unit.added, readNow);
  const open = new Set<LiveObject>();
  const done = new Set<LiveObject>();
  const visit = (live: LiveObject): void => {
    if (done.has(live)) return;
    if (open.has(live)) throw circular([...open].map((one) => liveStateOf(one).kind.entity));
    open.add(live);
    const state = liveStateOf(live);
    for (const relation of ownRelations(state.kind.entity)) {
      const { pairs } = relation.steps[0];
      if (!index.has(relation.target) || pairs.some(({ from }) => from.isNullable)) continue;
      const awaited = pairs.map(({ from }) => state.awaits?.get(from)?.of).find((of) => of !== undefined);
      const key =
        awaited === undefined
          ? valuesText(
              live,
              pairs.map(({ from }) => from),
              readNow,
            )
          : undefined;
      const other =
        awaited ??
        index.find(
          relation.target,
          pairs.map(({ to }) => to),
          key,
        );
      if (other !== undefined && other !== live && liveStateOf(other).status === "new") visit(other);
    }
    open.delete(live);
    done.add(live);
  };
  for (const live of unit.added) visit(live);
}

/**
 * Inserts all new entities, each after those whose keys it needs; what may be null is, until the row that it leads to
 * is there.
 */
export function* insertAll(unit: Unit): Steps<void> {
  if (unit.added.size === 0) return;
  const ties = new Ties(unit.added);
  const none = (): readonly ResolvedColumn[] => [];
  while (unit.added.size > 0) {
    for (const live of unit.waiting) fillAwaited(live, liveStateOf(live));
    const groups = byEntity(unit.added);
    let isNext = false;
    for (const [entity, lives] of groups) {
      const ready = lives.filter((live) => !isWaiting(liveStateOf(live)) && ties.columns(live).length === 0);
      if (ready.length === 0) continue;
      yield* insertRows(unit, entity, ready, none);
      isNext = true;
      break;
    }
    if (isNext) continue;
    const held = (live: LiveObject) => ties.columns(live);
    const isFree = (live: LiveObject): boolean => {
      const later = new Set(laterOf(held(live)));
      return ownRelations(liveStateOf(live).kind.entity).every(({ steps: [{ pairs }] }) => {
        const tied = pairs.filter(({ from }) => held(live).includes(from));
        return tied.length === 0 || pairs.some(({ from }) => later.has(from));
      });
    };
    const next = groups.flatMap(([entity, lives]) => {
      const free = lives.find(isFree);
      return free === undefined ? [] : [[entity, free] as const];
    })[0];
    if (next === undefined) throw circular(groups.map(([entity]) => entity));
    yield* insertRows(unit, next[0], [next[1]], (live) => laterOf(held(live)));
  }
}

/** Gives all entities the keys that they wait for. */
export function fillAll(unit: Unit): void {
  for (const live of unit.waiting) fillAwaited(live, liveStateOf(live));
  unit.waiting.clear();
}
