import { canonicalOf } from "../columns/index.js";
import { workError } from "../errors/index.js";
import type { ResolvedColumn, ResolvedEntity, ResolvedRelation, Step } from "../ir/index.js";
import { type LiveObject, type LiveState, liveStateOf } from "../live/index.js";
import { dependencyOrder } from "../model/index.js";
import { type KeyedRow, keyedPlan } from "../plan/index.js";
import { conflict, type Steps, writeKeyed } from "../run/index.js";
import { leave } from "./adopt.js";
import { byEntity, referred } from "./by-entity.js";
import { type Changed, readAs } from "./changes.js";
import { unload } from "./follow.js";
import { identityOf } from "./identity.js";
import { defineField } from "./live-kind.js";
import { knownOne } from "./load.js";
import { placeAt } from "./place-at.js";
import { type Read, RowIndex, readNow, valuesText } from "./row-index.js";
import { isOurs, mapOf, type Unit } from "./unit.js";
import { columnsToFind, foundBy } from "./updates.js";
import { versionOf } from "./version.js";

/** What a column of a row holds in the database. */
export const readThere: Read = (live, column) => {
  const value = readAs(liveStateOf(live), column);
  return value === undefined || value === null ? value : canonicalOf(value, column.type);
};

/** The foreign keys that stand in an entity itself. */
const keysIn = ({ relations }: ResolvedEntity): readonly Step[] =>
  [...relations.values()].flatMap(({ steps }) =>
    steps.length === 1 && steps[0].holder === "source" ? [steps[0]] : [],
  );

/** A removed row that refers to another one, which is removed too. */
interface Tie {
  readonly to: LiveObject;
  /** The columns of the key that may be null. */
  readonly loose: readonly ResolvedColumn[];
}

/**
 * Removed rows level by level, those first to which no other one refers; and what has to be null before, where they
 * refer to each other.
 */
export interface Removal {
  readonly levels: readonly (readonly LiveObject[])[];
  readonly loosened: readonly (readonly [LiveObject, readonly ResolvedColumn[]])[];
}

function tiesOf(live: LiveObject, index: RowIndex): Tie[] {
  const { entity } = liveStateOf(live).kind;
  return keysIn(entity).flatMap(({ target, pairs }) => {
    if (!index.has(target)) return [];
    const from = pairs.map((pair) => pair.from);
    const to = index.find(
      target,
      pairs.map((pair) => pair.to),
      valuesText(live, from, readThere),
    );
    return to === undefined ? [] : [{ to, loose: from.filter(({ isNullable }) => isNullable) }];
  });
}

/** Whether entities refer to each other, or to themselves, so that their rows have to be looked at one by one. */
function isTangled(lives: readonly LiveObject[]): boolean {
  const entities = [...new Set(lives.map((live) => liveStateOf(live).kind.entity))];
  const inSet = (entity: ResolvedEntity) => referred(entity).filter((other) => entities.includes(other));
  return (
    entities.some((entity) => referred(entity).includes(entity)) ||
    dependencyOrder(entities, inSet).some(({ deferred }) => deferred.length > 0)
  );
}

/**
 * In which order rows are deleted: those that refer to others before these. `ownRowBlocks`: the engine deletes no row
 * that refers to itself.
 * @throws GemachError `ROWS_CIRCULAR` where they refer to each other by columns that may not be null
 */
export function planRemoval(lives: readonly LiveObject[], ownRowBlocks: boolean): Removal {
  if (!isTangled(lives)) return { levels: [lives], loosened: [] };
  const index = new RowIndex(lives, readThere);
  const loosened: (readonly [LiveObject, readonly ResolvedColumn[]])[] = [];
  const ties = new Map(
    lives.map((live) => {
      const all = tiesOf(live, index);
      for (const { to, loose } of all) if (ownRowBlocks && to === live && loose[0]) loosened.push([live, loose]);
      return [live, all.filter(({ to }) => to !== live)];
    }),
  );
  const referrers = new Map<LiveObject, number>(lives.map((live) => [live, 0]));
  const add = (live: LiveObject, by: number) => referrers.set(live, (referrers.get(live) as number) + by);
  for (const own of ties.values()) for (const { to } of own) add(to, 1);
  const levels: LiveObject[][] = [];
  const open = new Set(lives);
  while (open.size > 0) {
    const level = [...open].filter((live) => referrers.get(live) === 0);
    if (level.length > 0) {
      levels.push(level);
      for (const live of level) {
        open.delete(live);
        for (const { to } of ties.get(live) as Tie[]) add(to, -1);
      }
      continue;
    }
    const stuck = [...open].find((live) => ties.get(live)?.some(({ to, loose }) => open.has(to) && loose.length > 0));
    if (stuck === undefined)
      throw workError("ROWS_CIRCULAR", {
        entities: [...new Set([...open].map((live) => liveStateOf(live).kind.entity.name))],
        isRemoved: true,
      });
    const own = ties.get(stuck) as Tie[];
    for (const tie of own.filter(({ to, loose }) => open.has(to) && loose.length > 0)) {
      loosened.push([stuck, tie.loose]);
      own.splice(own.indexOf(tie), 1);
      add(tie.to, -1);
    }
  }
  return { levels, loosened };
}

/** Writes columns of rows past what is known of them: nothing of it is a change that anybody has asked for. */
export function* writePast(
  unit: Unit,
  rows: readonly (readonly [LiveObject, readonly ResolvedColumn[], KeyedRow["values"]])[],
): Steps<void> {
  const groups = new Map<ResolvedEntity, Map<string, { columns: readonly ResolvedColumn[]; rows: KeyedRow[] }>>();
  for (const [live, columns, values] of rows) {
    const state = liveStateOf(live);
    const { entity } = state.kind;
    const ofEntity = groups.get(entity) ?? new Map();
    groups.set(entity, ofEntity);
    const name = columns.map(({ property }) => property).join("\u0000");
    const group = ofEntity.get(name) ?? { columns, rows: [] };
    ofEntity.set(name, group);
    group.rows.push({ values, found: foundBy(live, state, entity.key) });
  }
  for (const [entity, ofEntity] of groups)
    for (const { columns, rows: own } of ofEntity.values())
      yield* writeKeyed(keyedPlan("update", entity, columns, entity.key, own), unit.context.compiler.runtime);
}

/** Deletes rows in the order that was found for them. */
export function* deleteAll(unit: Unit, { levels, loosened }: Removal): Steps<void> {
  yield* writePast(
    unit,
    loosened.map(([live, columns]) => [live, columns, columns.map(() => null)]),
  );
  for (const level of levels)
    for (const [entity, lives] of byEntity(level).toReversed()) {
      const by = columnsToFind(entity);
      const rows = lives.map((live) => ({ values: [], found: foundBy(live, liveStateOf(live), by) }));
      const plan = keyedPlan("delete", entity, [], by, rows);
      unit.writing = plan;
      const missed = yield* writeKeyed(plan, unit.context.compiler.runtime);
      if (missed.length > 0 && versionOf(entity) !== undefined) throw conflict(entity, missed);
      followDeletion(unit, lives);
      for (const live of lives) {
        leave(unit, entity, live);
        unit.removed.delete(live);
      }
    }
}

/** What is known of rows follows what the database has made of them by what their foreign keys say. */
function followDeletion(unit: Unit, gone: readonly LiveObject[]): void {
  const index = new RowIndex(gone, readNow);
  const others: LiveObject[] = [];
  for (const [entity, map] of unit.maps)
    for (const { name, target, pairs, onDelete } of keysIn(entity)) {
      if (!index.has(target) || (onDelete !== "cascade" && onDelete !== "set null")) continue;
      const [from, to] = [pairs.map((pair) => pair.from), pairs.map((pair) => pair.to)];
      for (const live of [...map.values()]) {
        const state = liveStateOf(live);
        if (index.find(target, to, valuesText(live, from, readThere)) === undefined) continue;
        if (onDelete === "cascade" && !gone.includes(live)) others.push(live);
        if (onDelete === "set null") for (const column of from) emptied(live, state, column, name);
      }
    }
  for (const live of others) {
    const state = liveStateOf(live);
    leave(unit, state.kind.entity, live);
    unit.removed.delete(live);
    state.status = "removed";
  }
  if (others.length > 0) followDeletion(unit, others);
}

/** A column that the database has emptied. */
function emptied(live: LiveObject, state: LiveState, column: ResolvedColumn, relation: string): void {
  const name = column.steps[0] as string;
  if (column.steps.length > 1 || !Object.hasOwn(live, name)) return;
  if (readNow(live, column) === readThere(live, column)) defineField(live, name, null);
  state.original[name] = state.kind.snapshots.get(name)?.of(null) ?? null;
  unload(live, state, relation);
}

/** The removed row that a relation led to when its owner was read. */
function leftBehind(unit: Unit, state: LiveState, relation: ResolvedRelation): LiveObject | undefined {
  const row: LiveObject = {};
  for (const { from, to } of relation.steps[0].pairs) placeAt(row, to.steps, readAs(state, from));
  const live = mapOf(unit, relation.target).get(identityOf(relation.target, row));
  return live !== undefined && unit.removed.has(live) ? live : undefined;
}

/**
 * Removed rows that others refer to until their changes are written: they go last. All else goes first, so that a new
 * row may have the key of one that is removed.
 */
export function removedLate(unit: Unit, changed: readonly Changed[]): ReadonlySet<LiveObject> {
  const deferred = new Set<LiveObject>();
  if (unit.removed.size === 0) return deferred;
  for (const { kept: state, names } of changed)
    for (const relation of state.kind.entity.relations.values()) {
      if (!isOurs(relation) || !relation.steps[0].pairs.some(({ from }) => names.includes(from.steps[0] as string)))
        continue;
      const left = leftBehind(unit, state, relation);
      if (left !== undefined) deferred.add(left);
    }
  for (const live of deferred)
    for (const relation of liveStateOf(live).kind.entity.relations.values()) {
      const target = knownOne(unit, live, relation);
      if (target && unit.removed.has(target)) deferred.add(target);
    }
  return deferred;
}
