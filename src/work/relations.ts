import { typeWord } from "../columns/index.js";
import { GemachError, workError } from "../errors/index.js";
import { type ResolvedColumn, type ResolvedEntity, type ResolvedRelation, type Step, valueAt } from "../ir/index.js";
import { LiveBase, type LiveObject, type LiveState, liveStateOf, noteAddedColumn } from "../live/index.js";
import { setLoaded } from "./adopt.js";
import { noteOwner, unload } from "./follow.js";
import { defineField } from "./live-kind.js";
import { knownOne } from "./load.js";
import { placeAt } from "./place-at.js";
import { isDirect, isOurs, mirrorsOf, ownRelations, type Unit, unitOf } from "./unit.js";

/**
 * A live entity that was handed over.
 * @throws GemachError `LIVE_EXPECTED`
 */
export function expectLive(unit: Unit, value: unknown, call: string, entity?: ResolvedEntity): LiveObject {
  const state = LiveBase.of(value);
  if (state !== undefined && state.unit === unit && (entity === undefined || state.kind.entity === entity)) {
    if (state.status === "kept" || state.status === "new") return value as LiveObject;
    throw unexpected(call, entity, `one that was ${state.status}`);
  }
  if (state === undefined) throw unexpected(call, entity, typeWord(value));
  throw unexpected(call, entity, state.unit === unit ? `a ${state.kind.entity.name}` : "one of another unit of work");
}

const unexpected = (call: string, entity: ResolvedEntity | undefined, got: string): GemachError =>
  new GemachError("LIVE_EXPECTED", {
    call,
    expected: entity === undefined ? "an entity" : `a ${entity.name}`,
    got,
  });

/** Whether a row's column has its value already. */
const hasValue = (live: LiveObject, { steps }: ResolvedColumn): boolean => {
  const value = Object.hasOwn(live, steps[0] as string) ? valueAt(live, steps) : undefined;
  return value !== undefined && value !== null;
};

/** Gives a column of an entity a value, past what its class does when that is set. */
export function giveColumn(
  live: LiveObject,
  state: LiveState,
  { steps, property }: ResolvedColumn,
  value: unknown,
): void {
  if (steps.length > 1) placeAt(live, steps, value);
  else {
    defineField(live, property, value);
    noteAddedColumn(state, property);
  }
}

/** Gives the columns of a holder the key of another entity, as soon as there is one. */
function giveKey(holder: LiveObject, { steps: [{ pairs }] }: ResolvedRelation, target: LiveObject | null): void {
  const state = liveStateOf(holder);
  for (const { from, to } of pairs) {
    state.awaits?.delete(from);
    if (target === null || hasValue(target, to)) {
      const value = target === null ? null : valueAt(target, to.steps);
      giveColumn(holder, state, from, value);
      continue;
    }
    state.awaits ??= new Map();
    unitOf(state).waiting.add(holder);
    state.awaits.set(from, { of: target as LiveObject, column: to });
    if (from.steps.length === 1) delete holder[from.property];
  }
}

/** The other side of a relation, as far as it is loaded, no longer has an entity, or has it now. */
function moveOnOtherSide(
  unit: Unit,
  holder: LiveObject,
  relation: ResolvedRelation,
  before: LiveObject | null,
  after: LiveObject | null,
): void {
  noteOwner(holder, relation, after);
  if (before === after) return;
  for (const mirror of mirrorsOf(relation)) {
    for (const [owner, isAfter] of [
      [before, false],
      [after, true],
    ] as const) {
      if (owner === null) continue;
      const state = liveStateOf(owner);
      // Nothing leads to a new entity but what is tied to it here.
      if (isAfter && state.status === "new" && mirror.cardinality === "many" && !state.related?.has(mirror.name))
        setLoaded(unit, owner, state, mirror, []);
      const loaded = state.related?.get(mirror.name);
      if (Array.isArray(loaded)) {
        const at = loaded.indexOf(holder);
        if (isAfter && at < 0) loaded.push(holder);
        if (!isAfter && at >= 0) loaded.splice(at, 1);
      } else if (mirror.cardinality === "one" && (isAfter || loaded === holder))
        setLoaded(unit, owner, state, mirror, isAfter ? holder : null);
    }
  }
  unloadDistant(unit, relation.source);
}

/** Whether a relation goes over the rows of one link entity. */
const isLink = ({ steps: [first, second, ...more] }: ResolvedRelation): boolean =>
  first.holder === "target" && second?.holder === "source" && more.length === 0;

/** The relation of a link's row that is a step, or a step seen from its other end. */
function endOf(
  { relations }: ResolvedEntity,
  target: ResolvedEntity,
  held: readonly ResolvedColumn[],
): ResolvedRelation | undefined {
  return [...relations.values()].find(
    (one) => isOurs(one) && one.target === target && one.steps[0].pairs.every(({ from }, i) => from === held[i]),
  );
}

/** Loaded relations over a link's row have the row at its far end, or have it no longer. */
function updateLinkedLists(unit: Unit, link: LiveObject, isThere: boolean): void {
  const state = liveStateOf(link);
  const { entity } = state.kind;
  for (const [live, names] of unit.distant.get(entity) ?? [])
    for (const name of names) {
      const relation = liveStateOf(live).kind.entity.relations.get(name) as ResolvedRelation;
      const loaded = liveStateOf(live).related?.get(name);
      if (!isLink(relation) || !Array.isArray(loaded)) continue;
      const [first, second] = relation.steps as readonly [Step, Step];
      const near = endOf(
        entity,
        first.source,
        first.pairs.map(({ to }) => to),
      );
      const far = endOf(
        entity,
        second.target,
        second.pairs.map(({ from }) => from),
      );
      if (near === undefined || far === undefined || present(unit, link, state, near) !== live) continue;
      const target = present(unit, link, state, far);
      const at = target === null ? -1 : loaded.indexOf(target);
      if (isThere && target !== null && at < 0) loaded.push(target);
      if (!isThere && at >= 0) loaded.splice(at, 1);
    }
}

/** Relations over several steps, but for links, are to be read again where an entity on their way has changed. */
function unloadDistant({ distant }: Unit, entity: ResolvedEntity): void {
  for (const [live, names] of distant.get(entity) ?? [])
    for (const name of [...names]) {
      if (isLink(liveStateOf(live).kind.entity.relations.get(name) as ResolvedRelation)) continue;
      unload(live, liveStateOf(live), name);
      names.delete(name);
    }
}

const isNullable = ({ steps: [{ pairs }] }: ResolvedRelation): boolean => pairs.every(({ from }) => from.isNullable);

function refuse(relation: ResolvedRelation, reason: string): never {
  throw workError("RELATION_UNSETTABLE", { entity: relation.source.name, relation: relation.name, reason });
}

/** Why a relation cannot be made to lead to a row, or to none; undefined: it can. */
export function unsettable(relation: ResolvedRelation, isToNone: boolean): string | undefined {
  if (!isDirect(relation)) return "it goes over other relations, or has a condition";
  if (isOurs(relation)) {
    if (relation.source.isReadOnly) return `${relation.source.name} is only read`;
    return isToNone && !isNullable(relation) ? "the column that holds its key may not be null" : undefined;
  }
  const { target } = relation;
  if (target.isReadOnly) return `${target.name} is only read`;
  const [back] = mirrorsOf(relation);
  if (back === undefined) return isToNone ? `${target.name} has no relation back` : undefined;
  return isToNone && !isNullable(back) ? "the column that holds its key may not be null" : undefined;
}

/** The row that a to-one relation leads to as far as that is known. */
function present(unit: Unit, live: LiveObject, state: LiveState, relation: ResolvedRelation): LiveObject | null {
  const known = state.related?.get(relation.name) ?? knownOne(unit, live, relation);
  return (known === undefined ? state.owners?.get(relation.name) : (known as LiveObject | null)) ?? null;
}

/** Lets a to-one relation lead to another entity, or to none: its key, and the other side, follow. */
export function setRelation(live: LiveObject, state: LiveState, relation: ResolvedRelation, value: unknown): void {
  const unit = unitOf(state);
  const name = `${relation.source.name}.${relation.name}`;
  if (relation.cardinality !== "one") refuse(relation, "it is to many rows");
  const reason = unsettable(relation, isOurs(relation) && value === null);
  if (reason !== undefined) refuse(relation, reason);
  const target = value === null ? null : expectLive(unit, value, name, relation.target);
  if (!isOurs(relation)) {
    setFromOtherSide(unit, live, state, relation, target);
    return;
  }
  const before = present(unit, live, state, relation);
  updateLinkedLists(unit, live, false);
  giveKey(live, relation, target);
  for (const other of relation.source.relations.values())
    if (isOurs(other) && other.steps[0].pairs.every(({ from }, i) => from === relation.steps[0].pairs[i]?.from))
      setLoaded(unit, live, state, other, target);
  moveOnOtherSide(unit, live, relation, before, target);
  updateLinkedLists(unit, live, true);
}

/** Lets a relation whose key stands in the target lead to another entity, or to none. */
function setFromOtherSide(
  unit: Unit,
  live: LiveObject,
  state: LiveState,
  relation: ResolvedRelation,
  target: LiveObject | null,
): void {
  const [back] = mirrorsOf(relation);
  if (back === undefined) refuse(relation, `${relation.target.name} has no relation back`);
  const before = state.related?.get(relation.name) as LiveObject | null | undefined;
  if (before === undefined && state.status !== "new")
    refuse(relation, "await it first: the row that it leads to now is to be let go");
  if (before !== null && before !== undefined && before !== target)
    setRelation(before, liveStateOf(before), back, null);
  if (target === null) setLoaded(unit, live, state, relation, null);
  else setRelation(target, liveStateOf(target), back, live);
}

/** Makes an entity one of the rows of another's relation. */
export function joinTo(owner: LiveObject, relation: ResolvedRelation, child: LiveObject): void {
  const [back] = mirrorsOf(relation);
  if (back !== undefined) {
    setRelation(child, liveStateOf(child), back, owner);
    return;
  }
  const { steps } = relation;
  giveKey(
    child,
    { ...relation, steps: [{ ...steps[0], pairs: steps[0].pairs.map(({ from, to }) => ({ from: to, to: from })) }] },
    owner,
  );
}

/** Entities that a new one refers to by its keys, where they are there already, have it in their loaded relations. */
export function addToLists(unit: Unit, live: LiveObject): void {
  const { entity } = liveStateOf(live).kind;
  for (const relation of ownRelations(entity)) {
    if ((unit.maps.get(relation.target)?.size ?? 0) === 0) continue;
    const target = knownOne(unit, live, relation);
    if (target) moveOnOtherSide(unit, live, relation, null, target);
  }
  updateLinkedLists(unit, live, true);
  unloadDistant(unit, entity);
}

/** A removed entity is no longer in the loaded relations of others. */
export function removeFromLists(unit: Unit, live: LiveObject): void {
  const state = liveStateOf(live);
  updateLinkedLists(unit, live, false);
  for (const relation of ownRelations(state.kind.entity)) {
    moveOnOtherSide(unit, live, relation, present(unit, live, state, relation), null);
  }
  unloadDistant(unit, state.kind.entity);
}
