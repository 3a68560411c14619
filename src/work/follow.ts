import { canonicalOf } from "../columns/index.js";
import { type ResolvedEntity, type ResolvedRelation, valueAt } from "../ir/index.js";
import { type LiveObject, type LiveState, liveStateOf } from "../live/index.js";
import { isOurs, isSameInCode, ownRelations, type Unit } from "./unit.js";

/**
 * The key by which a to-one relation of an entity leads somewhere, as it is stored; null: nowhere; undefined: it is not
 * there.
 */
function keyHeld(
  row: LiveObject,
  { steps: [{ pairs }] }: ResolvedRelation,
  side: "from" | "to",
): string | null | undefined {
  let key = "";
  for (const pair of pairs) {
    const { steps, type } = pair[side];
    if (!Object.hasOwn(row, steps[0] as string)) return undefined;
    const value = valueAt(row, steps);
    if (value === undefined) return undefined;
    if (value === null) return null;
    const text = String(canonicalOf(value, type) ?? value);
    key += `${text.length}:${text}`;
  }
  return key;
}

/**
 * Whether the row that a key leads to does not show by its own key that it is the one: the database alone knows which
 * keys are equal.
 */
const isAsked = ({ steps: [{ pairs }] }: ResolvedRelation): boolean =>
  !pairs.every(({ from, to }) => to.isKey && isSameInCode(from) && isSameInCode(to));

/**
 * Notes by which key a to-one relation led to what was loaded, where that cannot be seen from the row that it leads to.
 */
export function noteKey(live: LiveObject, state: LiveState, relation: ResolvedRelation, value: unknown): void {
  if (!isOurs(relation) || (value !== null && !isAsked(relation))) return;
  state.ledBy ??= new Map();
  state.ledBy.set(relation.name, keyHeld(live, relation, "from"));
}

/**
 * Notes which row's loaded relation has another one, if its key does not show it: it leaves that relation once it is
 * moved or removed.
 */
export function noteOwner(live: LiveObject, back: ResolvedRelation, owner: LiveObject | null): void {
  if (!isAsked(back)) return;
  const state = liveStateOf(live);
  state.owners ??= new Map();
  if (owner === null) state.owners.delete(back.name);
  else state.owners.set(back.name, owner);
}

/** Whether the key of a relation was given another value since the relation was loaded. */
export function isOutdated(live: LiveObject, state: LiveState, relation: ResolvedRelation, value: unknown): boolean {
  if (!isOurs(relation)) return false;
  const { awaits } = state;
  if (awaits !== undefined && relation.steps[0].pairs.some(({ from }) => awaits.has(from))) return false;
  const key = keyHeld(live, relation, "from");
  if (value === null || isAsked(relation)) {
    const before = state.ledBy?.get(relation.name);
    // What waited for the key of a new row when it was noted has it by now.
    if (before !== undefined || value === null) return key !== before && !(before === undefined && key === null);
  }
  return key !== keyHeld(value as LiveObject, relation, "to");
}

/** Unloads a relation of an entity: it is read again when it is asked for. */
export function unload(live: LiveObject, state: LiveState, name: string): void {
  state.related?.delete(name);
  state.ledBy?.delete(name);
  delete live[name];
}

/** Unloads all relations that lead to rows of an entity, or over them, but those whose own key says where they lead. */
export function unloadTo({ maps, added }: Unit, entity: ResolvedEntity): void {
  const leads = new Map<ResolvedEntity, readonly string[]>();
  const namesOf = (of: ResolvedEntity): readonly string[] => {
    const names =
      leads.get(of) ??
      [...of.relations.values()]
        .filter((one) => !isOurs(one) && one.steps.some(({ source, target }) => source === entity || target === entity))
        .map(({ name }) => name);
    leads.set(of, names);
    return names;
  };
  const unloadIn = (live: LiveObject): void => {
    const state = liveStateOf(live);
    // What is tied to a new row is known here alone.
    if (state.related === undefined || state.status === "new") return;
    for (const name of namesOf(state.kind.entity)) if (state.related.has(name)) unload(live, state, name);
  };
  for (const map of maps.values()) for (const live of map.values()) unloadIn(live);
  for (const live of added) unloadIn(live);
}

/** Whether rows of an entity are visible only where rows of another one are. */
const goesThrough = ({ through, relations }: ResolvedEntity, other: ResolvedEntity): boolean =>
  through.some(({ relation }) => {
    const { target } = relations.get(relation) as ResolvedRelation;
    return target === other || goesThrough(target, other);
  });

/**
 * Unloads what leads to rows that are visible through rows of an entity, some of which were hidden or are visible
 * again.
 */
export function unloadThrough(unit: Unit, entity: ResolvedEntity): void {
  for (const one of [...unit.maps.keys()]) if (goesThrough(one, entity)) unloadTo(unit, one);
}

/** Whether columns of an entity hold a key of its relations. */
export const isTied = (entity: ResolvedEntity, names: readonly string[]): boolean =>
  ownRelations(entity).some((relation) =>
    relation.steps[0].pairs.some(({ from }) => names.includes(from.steps[0] as string)),
  );

/** Whether a changed entity was given a key past its relation, so that the other side does not know of it. */
export function isMovedByKey(live: LiveObject, state: LiveState, names: readonly string[]): boolean {
  return ownRelations(state.kind.entity).some((relation) => {
    if (!relation.steps[0].pairs.some(({ from }) => names.includes(from.steps[0] as string))) return false;
    const loaded = state.related?.get(relation.name);
    return loaded === undefined || isOutdated(live, state, relation, loaded);
  });
}

/** Whether a new entity has a key of which nobody could say where it leads. */
export function isTiedByKey(live: LiveObject, state: LiveState): boolean {
  return ownRelations(state.kind.entity).some(
    (relation) =>
      isAsked(relation) &&
      state.related?.has(relation.name) !== true &&
      (keyHeld(live, relation, "from") ?? undefined) !== undefined,
  );
}
