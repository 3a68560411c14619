import { canonicalOf, derived } from "../columns/index.js";
import { type ResolvedColumn, type ResolvedEntity, type ResolvedRelation, valueAt } from "../ir/index.js";
import { type LiveObject, type LiveState, liveStateOf } from "../live/index.js";
import { remove } from "./add.js";
import { pendingIn } from "./changes.js";
import { unload } from "./follow.js";
import { reachLive, reachState, wholeState } from "./load.js";
import { isMarked, markIn } from "./marks.js";
import type { Unit } from "./unit.js";

const owningOf = (entity: ResolvedEntity): readonly ResolvedRelation[] =>
  [...entity.relations.values()].filter(({ steps }) => steps[0].isOwning);

const stored = (row: LiveObject, { steps, type }: ResolvedColumn): unknown => {
  const value = Object.hasOwn(row, steps[0] as string) ? valueAt(row, steps) : undefined;
  return value === undefined || value === null ? value : canonicalOf(value, type);
};

/** Whether the key that a child has in code leads to an owner. */
const leadsTo = (child: LiveObject, { steps: [{ pairs }] }: ResolvedRelation, owner: LiveObject): boolean =>
  pairs.every(({ from, to }) => {
    const key = stored(child, to);
    return key !== undefined && key !== null && key === stored(owner, from);
  });

/** Whether a row that the database has for an owner is so still, by what was said of it since. */
function isStill(child: LiveObject, state: LiveState, relation: ResolvedRelation, owner: LiveObject): boolean {
  const { pairs } = relation.steps[0];
  if (state.awaits !== undefined && pairs.some(({ to }) => state.awaits?.has(to))) return false;
  const pending = pendingIn(child, state);
  return !pairs.some(({ to }) => pending.includes(to.steps[0] as string)) || leadsTo(child, relation, owner);
}

/** New rows of a relation's target, and those that were moved, whose key leads to an owner and is not written yet. */
function* saidToBe(unit: Unit, relation: ResolvedRelation, owner: LiveObject): Iterable<LiveObject> {
  const { target } = relation;
  for (const child of unit.added)
    if (liveStateOf(child).kind.entity === target && leadsTo(child, relation, owner)) yield child;
  const names = relation.steps[0].pairs.map(({ to }) => to.steps[0] as string);
  for (const child of unit.maps.get(target)?.values() ?? []) {
    const state = liveStateOf(child);
    if (state.status !== "kept" || !pendingIn(child, state).some((name) => names.includes(name))) continue;
    if (leadsTo(child, relation, owner)) yield child;
  }
}

const isThere = (live: LiveObject): boolean => ["kept", "new"].includes(liveStateOf(live).status);

const listOf = (loaded: unknown): readonly LiveObject[] =>
  (Array.isArray(loaded) ? loaded : loaded === null || loaded === undefined ? [] : [loaded]) as LiveObject[];

/** Removes what belongs to a new entity that is not written: what is tied to it, or has its key. */
export function removeTied(unit: Unit, owner: LiveObject): void {
  for (const relation of owningOf(liveStateOf(owner).kind.entity))
    for (const child of new Set([
      ...listOf(liveStateOf(owner).related?.get(relation.name)),
      ...saidToBe(unit, relation, owner),
    ]))
      if (isThere(child)) removeWhole(unit, child);
}

/** An entity to be deleted when changes are written; `isForGood`: also where it would only be marked. */
export function removeWhole(unit: Unit, live: LiveObject, isForGood = false): void {
  if (liveStateOf(live).status === "new") removeTied(unit, live);
  if (isForGood) unit.forGood.add(live);
  remove(unit, live);
}

/**
 * Removes what belongs to removed entities, and what belongs to that in turn: the rows that the database has for them,
 * but for those that were moved elsewhere since, and those that were added or moved to them.
 * @returns new rows of owners that are only marked, each with its owner: they are inserted first, and marked then.
 */
export async function removeOwned(unit: Unit): Promise<ReadonlyMap<LiveObject, LiveObject>> {
  const done = new Set<LiveObject>();
  const later = new Map<LiveObject, LiveObject>();
  for (;;) {
    const open = [...unit.removed].filter((live) => !done.has(live));
    if (open.length === 0) return later;
    const byRelation = new Map<ResolvedRelation, LiveObject[]>();
    for (const live of open) {
      done.add(live);
      for (const relation of owningOf(liveStateOf(live).kind.entity))
        byRelation.set(relation, [...(byRelation.get(relation) ?? []), live]);
    }
    for (const [relation, owners] of byRelation) {
      const { name } = relation;
      const [whole, usual] = [wholeState(relation), reachState(relation)];
      for (const live of owners) {
        const state = liveStateOf(live);
        // A row that was forgotten is still its own in the database, and so is one that is hidden.
        const isPartial = whole !== usual && !isMarked(unit, live);
        if (isPartial || listOf(state.related?.get(name)).some((child) => !isThere(child))) unload(live, state, name);
      }
      const missing = owners.filter((live) => liveStateOf(live).related?.has(name) !== true);
      const [marked, deleted] = [
        missing.filter((live) => isMarked(unit, live)),
        missing.filter((live) => !isMarked(unit, live)),
      ];
      if (marked.length > 0) await reachLive(unit, usual, marked, "remove", undefined, undefined);
      if (deleted.length > 0) await reachLive(unit, whole, deleted, "remove", undefined, undefined);
      for (const owner of owners) {
        const own = listOf(liveStateOf(owner).related?.get(name)).filter((child) =>
          isStill(child, liveStateOf(child), relation, owner),
        );
        const isKept = isMarked(unit, owner) && markIn(relation.target) === undefined;
        for (const child of new Set([...own, ...saidToBe(unit, relation, owner)])) {
          // What belongs to a row that is only marked stays, or is marked too.
          if (!isThere(child) || isKept) continue;
          if (isMarked(unit, owner) && liveStateOf(child).status === "new") later.set(child, owner);
          else removeWith(unit, child, owner);
        }
      }
    }
  }
}

/** Removes what belongs to a removed owner: marked as that is, or deleted. */
export function removeWith(unit: Unit, child: LiveObject, owner: LiveObject): void {
  unit.goneWith.set(child, owner);
  removeWhole(unit, child, !isMarked(unit, owner));
}

/** The entities whose rows go with the rows of an entity, by ownership. */
const ownedBy = derived((entity: ResolvedEntity): ReadonlySet<ResolvedEntity> => {
  const found = new Set([entity]);
  for (const owner of found) for (const { target } of owningOf(owner)) found.add(target);
  return found;
});

const untouched: ReadonlySet<string> = new Set(["no action", "restrict"]);

/**
 * Whether rows of an entity change with the removal of rows of another one: by ownership, or by what their foreign keys
 * say.
 */
export function goesWith(entity: ResolvedEntity, removed: ResolvedEntity): boolean {
  const gone = ownedBy(removed);
  const seen = new Set<ResolvedEntity>();
  const isTouched = (at: ResolvedEntity): boolean => {
    if (gone.has(at)) return true;
    if (seen.has(at)) return false;
    seen.add(at);
    return [...at.relations.values()].some(
      ({ steps: [step] }) => step.holder === "source" && !untouched.has(step.onDelete) && isTouched(step.target),
    );
  };
  return isTouched(entity);
}
