import { type ResolvedColumn, type ResolvedEntity, type ResolvedRelation, valueAt } from "../ir/index.js";
import { type LiveObject, liveStateOf } from "../live/index.js";
import { changedIn, readAs } from "./changes.js";
import { readThere } from "./deletes.js";
import { fetchByKeys } from "./load.js";
import { placeAt } from "./place-at.js";
import { type Read, RowIndex, readNow, valuesText } from "./row-index.js";
import { mapOf, type Unit } from "./unit.js";
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

/**
 * Raises the versions of owners whose rows are added, changed or removed, so that two who change one document cannot
 * both win.
 */
export async function touchGuarding(unit: Unit): Promise<void> {
  const done = new Set<LiveObject>();
  for (;;) {
    const changed = [...unit.added, ...unit.removed, ...changedIn(unit).map(({ live }) => live)];
    const open = changed.filter((live) => !done.has(live));
    if (open.length === 0) return;
    for (const live of open) {
      done.add(live);
      for (const relation of guarding(unit, liveStateOf(live).kind.entity))
        for (const owner of await ownersOf(unit, live, relation))
          if (liveStateOf(owner).status === "kept") unit.touched.add(owner);
    }
  }
}

/** The owner that a row has, and the one that it had: fetched where they are not there. */
async function ownersOf(unit: Unit, live: LiveObject, relation: ResolvedRelation): Promise<readonly LiveObject[]> {
  const { source, steps } = relation;
  const { pairs } = steps[0];
  const state = liveStateOf(live);
  const index = new RowIndex(mapOf(unit, source).values(), readNow);
  const [own, theirs] = [pairs.map(({ to }) => to), pairs.map(({ from }) => from)];
  const isByKey = theirs.length === source.key.length && theirs.every((column) => column.isKey);
  const ends: readonly (readonly [Read, (column: ResolvedColumn) => unknown])[] = [
    [readNow, ({ steps: path }) => valueAt(live, path)],
    ...(state.status === "new" ? [] : [[readThere, (column: ResolvedColumn) => readAs(state, column)] as const]),
  ];
  const owners = new Set<LiveObject>();
  for (const [read, inCode] of ends) {
    if (state.awaits !== undefined && read === readNow && own.some((column) => state.awaits?.has(column))) continue;
    const key = valuesText(live, own, read);
    if (key === undefined) continue;
    const known = index.find(source, theirs, key);
    if (known !== undefined) owners.add(known);
    else if (isByKey) {
      const row: LiveObject = {};
      for (const { from, to } of pairs) placeAt(row, from.steps, inCode(to));
      // Not as a lazy read, which would wait for what is being written.
      for (const owner of await fetchByKeys(unit, source, [row], undefined)) owners.add(owner);
    }
  }
  return [...owners];
}
