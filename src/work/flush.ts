import { canonicalOf, expectedOf, type Scalar } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  qualified,
  type ResolvedColumn,
  type ResolvedEntity,
  type ResolvedRelation,
  type StandingCondition,
  valueAt,
} from "../expression/index.js";
import { type Kept, keptOf, type LiveObject } from "../live/index.js";
import { dependencyOrder } from "../model/index.js";
import { type KeyedRow, keyedPlan, planInsert, refuseOthers, valuesIn } from "../plan/index.js";
import { type Steps, writeKeyed, writing } from "../run/index.js";
import { leave } from "./adopt.js";
import { type Changed, changedIn, readAs } from "./changes.js";
import { isMovedByKey, isTiedByKey, unloadTo } from "./follow.js";
import { identityOf } from "./identity.js";
import { put } from "./live-kind.js";
import { knownOne, renewComputed } from "./load.js";
import { placeAt } from "./place-at.js";
import { giveColumn } from "./relations.js";
import { isOurs, mapOf, newCohort, type Unit } from "./unit.js";
import { nextVersion, versionOf } from "./version.js";

/** The entities that rows of an entity refer to by their keys. */
const referred = ({ relations }: ResolvedEntity): readonly ResolvedEntity[] =>
  [...relations.values()].flatMap(({ steps: [step] }) => (step.holder === "source" ? [step.target] : []));

/** Live entities by what they are of, those first that others refer to. */
function byEntity(lives: Iterable<LiveObject>): readonly (readonly [ResolvedEntity, LiveObject[]])[] {
  const groups = new Map<ResolvedEntity, LiveObject[]>();
  for (const live of lives) {
    const { entity } = keptOf(live).kind;
    const group = groups.get(entity);
    if (group === undefined) groups.set(entity, [live]);
    else group.push(live);
  }
  const inSet = (entity: ResolvedEntity) => referred(entity).filter((other) => groups.has(other));
  return dependencyOrder([...groups.keys()], inSet).map(({ item }) => [item, groups.get(item) as LiveObject[]]);
}

/** Gives an entity the keys that it waits for, as far as they are there. */
function fillAwaited(live: LiveObject, kept: Kept): void {
  for (const [column, { of, column: key }] of kept.awaits ?? []) {
    const { standing, kind } = keptOf(of);
    if (standing === "new") continue;
    if (standing === "forgotten")
      throw new GemachError("LIVE_EXPECTED", {
        call: qualified(column),
        expected: `a ${kind.entity.name}`,
        got: "one that was removed before it was written",
      });
    giveColumn(live, kept, column, valueAt(of, key.steps));
    kept.awaits?.delete(column);
  }
  if (kept.awaits?.size === 0) kept.awaits = undefined;
}

const isWaiting = ({ awaits }: Kept): boolean =>
  awaits !== undefined && [...awaits.values()].some(({ of }) => keptOf(of).standing === "new");

/** The columns that wait for a key may be null meanwhile. */
const mayWait = ({ awaits }: Kept): boolean => [...(awaits?.keys() ?? [])].every(({ isNullable }) => isNullable);

const bare = new WeakMap<ResolvedEntity, ResolvedEntity>();

/** The same entity with plain rows. */
function bareOf(entity: ResolvedEntity): ResolvedEntity {
  if (entity.make === undefined) return entity;
  const known = bare.get(entity) ?? { ...entity, make: undefined };
  bare.set(entity, known);
  return known;
}

/** Whether a new entity is as it was added, so that what was kept of it then is the very row. */
const isAsAdded = (live: LiveObject, { shape, kind, awaits, further, was }: Kept): boolean =>
  further === undefined &&
  awaits === undefined &&
  kind.prints.size === 0 &&
  Object.keys(live).length === shape.names.length &&
  !shape.differs(live, was);

/** The columns of a new entity as they are to be inserted. */
function newRow(live: LiveObject, kept: Kept): LiveObject {
  if (isAsAdded(live, kept)) return kept.was;
  const { shape, kind, awaits, further } = kept;
  const row: LiveObject = {};
  for (const name of further === undefined ? shape.names : kind.entity.members.keys()) {
    const value = Object.hasOwn(live, name) ? live[name] : undefined;
    if (value !== undefined) row[name] = value;
  }
  if (awaits !== undefined) for (const column of awaits.keys()) placeAt(row, column.steps, null);
  return row;
}

/** What new rows leave to the database; all of them where a value object is among it, whose columns may be given in part. */
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
  const plan = planInsert(bareOf(entity), rows, { returning, rules: runtime.dialect.writes.portions });
  const written = yield* writing(plan, runtime, undefined, true).steps();
  return returning === undefined ? [] : (written as LiveObject[]);
}

/** A row in the form in which later changes do not reach it; the row itself where nothing of it could be changed in place. */
function printed({ kind: { prints } }: Kept, row: LiveObject): LiveObject {
  if (prints.size === 0) return row;
  const copy = { ...row };
  for (const [name, print] of prints) if (name in copy) copy[name] = print.of(copy[name]);
  return copy;
}

/** Takes over what the database made of a row, but for what code has changed meanwhile. */
function takeOver(live: LiveObject, { kind, was }: Kept, back: LiveObject): void {
  for (const name of Object.keys(back)) {
    const print = kind.prints.get(name);
    const value = back[name];
    if (!Object.hasOwn(live, name)) put(live, name, value);
    else if (print === undefined ? live[name] === was[name] : print.isSame(live[name], was[name])) live[name] = value;
    was[name] = print?.of(value) ?? value;
  }
}

/** Inserts new entities of one entity, and takes over what the database made of them. */
function* insertRows(unit: Unit, entity: ResolvedEntity, lives: readonly LiveObject[]): Steps<void> {
  const rows = lives.map((live) => newRow(live, keptOf(live)));
  // What code does to an entity while it is on its way is a change of its own.
  const prints = rows.map((row, i) => printed(keptOf(lives[i] as LiveObject), row));
  const made = yield* inserted(unit, entity, rows);
  const cohort = newCohort(undefined);
  const map = mapOf(unit, entity);
  for (let i = 0; i < lives.length; i++) {
    const live = lives[i] as LiveObject;
    const kept = keptOf(live);
    kept.was = prints[i] as LiveObject;
    const back = made[i];
    if (back !== undefined) takeOver(live, kept, back);
    kept.shape = kept.kind.shapeFor(Object.keys(kept.was));
    kept.further = undefined;
    // What waits for a key is written once that is there.
    if (kept.awaits !== undefined)
      for (const column of kept.awaits.keys()) if (column.steps.length === 1) delete live[column.property];
    kept.standing = "kept";
    kept.cohort = cohort;
    cohort.members.push(live);
    unit.added.delete(live);
    map.set(identityOf(entity, live), live);
  }
  if (lives.some((live) => isTiedByKey(live, keptOf(live)))) unloadTo(unit, entity);
}

/** Inserts all new entities, each after those whose keys it needs. */
function* insertAll(unit: Unit): Steps<void> {
  while (unit.added.size > 0) {
    for (const live of unit.waiting) fillAwaited(live, keptOf(live));
    const groups = byEntity(unit.added);
    const ready = groups.map(([entity, lives]) => [entity, lives.filter((live) => !isWaiting(keptOf(live)))] as const);
    const next =
      ready.find(([, lives]) => lives.length > 0) ??
      groups
        .map(([entity, lives]) => [entity, lives.filter((live) => mayWait(keptOf(live))).slice(0, 1)] as const)
        .find(([, lives]) => lives.length > 0);
    if (next === undefined) throw new GemachError("ROWS_CIRCULAR", { entities: groups.map(([{ name }]) => name) });
    yield* insertRows(unit, ...next);
  }
}

/** The values by which a row is found: its key, and its version where it has one. */
function foundBy(live: LiveObject, kept: Kept, by: readonly ResolvedColumn[]): readonly Scalar[] {
  return by.map((column) => {
    if (!column.isVersion) return canonicalOf(valueAt(live, column.steps), column.type) as Scalar;
    const was = kept.was[column.property];
    return canonicalOf(column.kind === "timestamp" ? new Date(was as number) : was, column.type) as Scalar;
  });
}

const columnsToFind = (entity: ResolvedEntity): readonly ResolvedColumn[] => {
  const version = versionOf(entity);
  return version === undefined ? entity.key : [...entity.key, version];
};

/** A row that is not as it was read. */
function conflict(entity: ResolvedEntity, missed: readonly KeyedRow[]): GemachError {
  const [row, ...others] = missed;
  const isShown = row !== undefined && others.length === 0;
  const key = entity.key.map(({ property }, i) => `${property} ${String(row?.found[i])}`).join(", ");
  const version = versionOf(entity);
  return new GemachError("CONFLICT", {
    entity: entity.name,
    key: isShown ? key : undefined,
    versions:
      isShown && version !== undefined ? `it was read at ${version.property} ${String(row.found.at(-1))}` : undefined,
  });
}

/** Writes the changed columns of entities, those together that change the same ones. */
function* updateAll(unit: Unit, changed: readonly Changed[]): Steps<void> {
  const groups = new Map<ResolvedEntity, Map<string, { columns: readonly ResolvedColumn[]; rows: KeyedRow[] }>>();
  const written: (readonly [Kept, LiveObject])[] = [];
  const moved = new Set<ResolvedEntity>();
  for (const { live, kept, names } of changed) {
    const { entity } = kept.kind;
    if (isMovedByKey(live, kept, names)) moved.add(entity);
    const version = versionOf(entity);
    const missing = names.find((name) => live[name] === undefined);
    if (missing !== undefined) throw new GemachError("VALUE_MISSING", { column: `${entity.name}.${missing}` });
    const found = foundBy(live, kept, columnsToFind(entity));
    if (version !== undefined) put(live, version.property, nextVersion(version, kept.was[version.property]));
    const given = Object.fromEntries(
      [...names, ...(version === undefined ? [] : [version.property])].map((name) => [name, live[name]]),
    );
    refuseOthers(entity, given, unit.context.values, "flush");
    const values = valuesIn(entity, given, { call: "flush" });
    written.push([kept, printed(kept, given)]);
    const same = new Set(names.flatMap((name) => kept.kind.prints.get(name)?.same?.(live[name], kept.was[name]) ?? []));
    const columns = [...values.keys()].filter((column) => !same.has(column));
    const ofEntity = groups.get(entity) ?? new Map();
    groups.set(entity, ofEntity);
    const text = columns.map(({ property }) => property).join("\u0000");
    const group = ofEntity.get(text) ?? { columns, rows: [] };
    ofEntity.set(text, group);
    group.rows.push({ values: columns.map((column) => values.get(column) as Scalar), found });
  }
  for (const [entity, ofEntity] of groups)
    for (const { columns, rows } of ofEntity.values()) {
      const plan = keyedPlan("update", entity, columns, columnsToFind(entity), rows);
      const missed = yield* writeKeyed(plan, unit.context.compiler.runtime);
      if (missed.length > 0) throw conflict(entity, missed);
    }
  for (const [kept, row] of written) Object.assign(kept.was, row);
  for (const [entity, lives] of byEntity(changed.map(({ live }) => live))) yield* renewComputed(unit, entity, lives);
  for (const entity of moved) unloadTo(unit, entity);
}

/** How many entities of its own kind lay above one when they were read, among those that are removed. */
function depthOf(live: LiveObject, unit: Unit, seen: readonly LiveObject[] = []): number {
  const kept = keptOf(live);
  const { entity } = kept.kind;
  const above = [...entity.relations.values()].flatMap((relation) => {
    if (!isOurs(relation) || relation.target !== entity) return [];
    const other = leftBehind(unit, kept, relation);
    return other !== undefined && !seen.includes(other) ? [other] : [];
  });
  return Math.max(0, ...above.map((other) => depthOf(other, unit, [...seen, live]) + 1));
}

/** What a column gets of rows that are hidden in place of being deleted. */
function markOf({ column, removed }: StandingCondition): Scalar {
  const value = canonicalOf(removed?.(), column.type);
  if (value !== undefined) return value;
  throw new GemachError("VALUE_UNFIT", {
    column: qualified(column),
    expected: expectedOf(column.type),
    got: "something else",
  });
}

/** Deletes entities, those first that refer to others; or marks them, where their entity says so. */
function* deleteAll(unit: Unit, removed: Iterable<LiveObject>): Steps<void> {
  for (const [entity, lives] of byEntity(removed).toReversed()) {
    const by = columnsToFind(entity);
    const isOfItself = referred(entity).includes(entity);
    const inOrder = isOfItself
      ? lives
          .map((live) => [live, depthOf(live, unit)] as const)
          .toSorted(([, a], [, b]) => b - a)
          .map(([live]) => live)
      : lives;
    const mark = entity.standing.find(({ removed }) => removed !== undefined);
    const columns = mark === undefined ? [] : [mark.column];
    const values = mark === undefined ? [] : [markOf(mark)];
    const rows = inOrder.map((live) => ({ values, found: foundBy(live, keptOf(live), by) }));
    const plan = keyedPlan(mark === undefined ? "delete" : "update", entity, columns, by, rows);
    // An engine that looks at each row's references by itself needs those below a row to go before it.
    const missed = yield* writeKeyed(isOfItself ? { ...plan, isListable: false } : plan, unit.context.compiler.runtime);
    if (missed.length > 0 && versionOf(entity) !== undefined) throw conflict(entity, missed);
    for (const live of lives) {
      leave(unit, entity, live);
      unit.removed.delete(live);
    }
  }
}

/** The removed row that a relation led to when its owner was read. */
function leftBehind(unit: Unit, kept: Kept, relation: ResolvedRelation): LiveObject | undefined {
  const row: LiveObject = {};
  for (const { from, to } of relation.steps[0].pairs) placeAt(row, to.steps, readAs(kept, from));
  const live = mapOf(unit, relation.target).get(identityOf(relation.target, row));
  return live !== undefined && unit.removed.has(live) ? live : undefined;
}

/**
 * Removed rows that others refer to until their changes are written: they go last. All else goes first, so that a new row may
 * have the key of one that is removed.
 */
function removedLate(unit: Unit, changed: readonly Changed[]): ReadonlySet<LiveObject> {
  const late = new Set<LiveObject>();
  if (unit.removed.size === 0) return late;
  for (const { kept, names } of changed)
    for (const relation of kept.kind.entity.relations.values()) {
      if (!isOurs(relation) || !relation.steps[0].pairs.some(({ from }) => names.includes(from.steps[0] as string)))
        continue;
      const left = leftBehind(unit, kept, relation);
      if (left !== undefined) late.add(left);
    }
  for (const live of late)
    for (const relation of keptOf(live).kind.entity.relations.values()) {
      const target = knownOne(unit, live, relation);
      if (target && unit.removed.has(target)) late.add(target);
    }
  return late;
}

/** Writes all that is not written yet. */
export function* flushSteps(unit: Unit): Steps<void> {
  const late = removedLate(unit, unit.removed.size === 0 ? [] : changedIn(unit));
  yield* deleteAll(
    unit,
    [...unit.removed].filter((live) => !late.has(live)),
  );
  yield* insertAll(unit);
  for (const live of unit.waiting) fillAwaited(live, keptOf(live));
  unit.waiting.clear();
  yield* updateAll(unit, changedIn(unit));
  yield* deleteAll(unit, late);
}
