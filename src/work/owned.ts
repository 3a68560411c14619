import type { ResolvedRelation } from "../expression/index.js";
import { keptOf, type LiveObject } from "../live/index.js";
import { remove } from "./add.js";
import { reachLive, reachState } from "./load.js";
import type { Unit } from "./unit.js";

const owning = (live: LiveObject): readonly ResolvedRelation[] =>
  [...keptOf(live).kind.entity.relations.values()].filter(({ steps }) => steps[0].isOwning);

/** Removes what belongs to removed entities, and what belongs to that in turn. */
export async function removeOwned(unit: Unit): Promise<void> {
  const done = new Set<LiveObject>();
  for (;;) {
    const open = [...unit.removed].filter((live) => !done.has(live));
    if (open.length === 0) return;
    const byRelation = new Map<ResolvedRelation, LiveObject[]>();
    for (const live of open) {
      done.add(live);
      for (const relation of owning(live)) byRelation.set(relation, [...(byRelation.get(relation) ?? []), live]);
    }
    for (const [relation, lives] of byRelation) {
      const missing = lives.filter((live) => keptOf(live).related?.has(relation.name) !== true);
      if (missing.length > 0) await reachLive(unit, reachState(relation), missing, "remove", undefined, undefined);
      for (const live of lives) {
        const children = keptOf(live).related?.get(relation.name) as LiveObject[] | LiveObject | null;
        for (const child of Array.isArray(children) ? [...children] : [children])
          if (child !== null && ["kept", "new"].includes(keptOf(child).standing)) remove(unit, child);
      }
    }
  }
}
