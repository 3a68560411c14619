import { GemachError } from "../errors/index.js";
import type { QueryState, ResolvedEntity } from "../ir/index.js";
import { LiveBase, type LiveObject, liveStateOf } from "../live/index.js";
import { type CallSite, rowsOfQuery } from "../run/index.js";
import { complete, usualColumns } from "./adopt.js";
import { identityOf } from "./identity.js";
import { byKeys, cohortOf } from "./load.js";
import { mapOf, ownOrigin, type Unit } from "./unit.js";

/** Whether rows of a query have all columns that a type promises of an entity. */
const isWhole = ({ columns, source: { entity } }: QueryState): boolean =>
  columns === undefined || usualColumns(entity).every((name) => columns.includes(name));

/**
 * Adds the entities that lack columns among these and what is loaded of them, unless the query says that they do.
 * `query`: undefined where nothing says so.
 */
function addLacking(
  unit: Unit,
  live: LiveObject,
  query: QueryState | undefined,
  found: Set<LiveObject>,
  seen: Set<LiveObject>,
): void {
  if (query === undefined) {
    if (seen.has(live)) return;
    seen.add(live);
  }
  if (unit.partial.has(live) && (query === undefined || isWhole(query))) found.add(live);
  for (const [name, value] of liveStateOf(live).related ?? []) {
    const inside = query?.reach.find(({ relation }) => relation.name === name)?.query;
    for (const one of Array.isArray(value) ? value : [value])
      if (LiveBase.of(one) !== undefined) addLacking(unit, one as LiveObject, inside, found, seen);
  }
}

/**
 * Completes entities that an earlier query has brought with some of their columns, before they are handed out by a type
 * that has all of them: in one statement an entity, for those that came together. Undefined where nothing is lacking.
 */
export function whole(
  unit: Unit,
  query: QueryState | undefined,
  lives: readonly LiveObject[],
  at: CallSite | undefined,
): Promise<void> | undefined {
  if (unit.partial.size === 0) return undefined;
  const found = new Set<LiveObject>();
  const seen = new Set<LiveObject>();
  for (const live of lives) addLacking(unit, live, query, found, seen);
  return found.size === 0 ? undefined : completeAll(unit, found, at);
}

async function completeAll(unit: Unit, found: ReadonlySet<LiveObject>, at: CallSite | undefined): Promise<void> {
  const groups = new Map<ResolvedEntity, Set<LiveObject>>();
  for (const live of found) {
    const state = liveStateOf(live);
    const group = groups.get(state.kind.entity) ?? new Set();
    groups.set(state.kind.entity, group);
    for (const one of cohortOf(unit, live, state, (member) => unit.partial.has(member))) group.add(one);
  }
  for (const [entity, group] of groups) {
    const members = [...group];
    const lacks = (name: string) => members.some((member) => !Object.hasOwn(member, name));
    const missing = usualColumns(entity).filter(lacks);
    const names = [...entity.members.keys()].filter(
      (name) => missing.includes(name) || entity.key.some(({ steps }) => steps[0] === name),
    );
    const rows = await rowsOfQuery(unit.context, byKeys(entity, members, names), ownOrigin("lazy read", at));
    for (const row of rows as LiveObject[]) {
      const live = mapOf(unit, entity).get(identityOf(entity, row));
      if (live !== undefined) complete(live, liveStateOf(live), row, missing);
    }
    // One that is gone, or hidden, cannot be handed out as a whole one.
    if (members.some((member) => found.has(member) && unit.partial.has(member)))
      throw new GemachError("NONE_FOUND", { entity: entity.name, call: "A lazy read" });
  }
}
