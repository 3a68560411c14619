import type { ResolvedEntity, ResolvedRelation } from "../expression/index.js";
import { keptOf, type LiveObject } from "../live/index.js";
import { changedIn } from "./changes.js";
import { readThere } from "./deletes.js";
import { loadRelation } from "./load.js";
import { type Read, RowIndex, readNow, valuesText } from "./row-index.js";
import { mapOf, mirrorsOf, type Unit } from "./unit.js";
import { versionOf } from "./version.js";

/** The relations of an owner whose version guards what belongs to it, of which rows of an entity are. */
function guarding(unit: Unit, entity: ResolvedEntity): readonly ResolvedRelation[] {
  const owners = new Set([...unit.maps.keys(), ...[...entity.relations.values()].map(({ target }) => target)]);
  return [...owners].flatMap((owner) =>
    [...owner.relations.values()].filter(
      ({ target, steps }) => target === entity && steps[0].isGuarding && versionOf(owner) !== undefined,
    ),
  );
}

/** Raises the versions of owners whose rows are added, changed or removed, so that two who change one document cannot both win. */
export async function touchGuarding(unit: Unit): Promise<void> {
  const done = new Set<LiveObject>();
  for (;;) {
    const changed = [...unit.added, ...unit.removed, ...changedIn(unit).map(({ live }) => live)];
    const open = changed.filter((live) => !done.has(live));
    if (open.length === 0) return;
    for (const live of open) {
      done.add(live);
      for (const relation of guarding(unit, keptOf(live).kind.entity))
        for (const owner of await ownersOf(unit, live, relation))
          if (keptOf(owner).standing === "kept") unit.touched.add(owner);
    }
  }
}

/** The owner that a row has, and the one that it had. */
async function ownersOf(unit: Unit, live: LiveObject, relation: ResolvedRelation): Promise<readonly LiveObject[]> {
  const { source, steps } = relation;
  const { pairs } = steps[0];
  const kept = keptOf(live);
  const index = new RowIndex(mapOf(unit, source).values(), readNow);
  const [own, theirs] = [pairs.map(({ to }) => to), pairs.map(({ from }) => from)];
  const by = (read: Read) => index.find(source, theirs, valuesText(live, own, read));
  const found = [by(readNow), ...(kept.standing === "new" ? [] : [by(readThere)])];
  const owners = found.filter((owner) => owner !== undefined);
  if (owners.length > 0 || kept.standing === "removed") return owners;
  const [back] = mirrorsOf(relation);
  if (back === undefined || kept.awaits !== undefined) return owners;
  const loaded = await loadRelation(live, kept, back, undefined);
  return loaded === null || loaded === undefined ? [] : [loaded as LiveObject];
}
