import { GemachError, workError } from "../errors/index.js";
import { type ResolvedColumn, type ResolvedEntity, valueAt } from "../ir/index.js";
import { type LiveObject, type LiveState, liveStateOf } from "../live/index.js";
import type { Unit } from "./unit.js";

/** An entity whose columns were given other values than it was read with. */
export interface Changed {
  readonly live: LiveObject;
  readonly kept: LiveState;
  /** The names of its columns and value objects that differ. */
  readonly names: readonly string[];
}

/** A column's value as it was read. */
export function readAs({ kind: { snapshots }, original }: LiveState, { steps }: ResolvedColumn): unknown {
  const name = steps[0] as string;
  return valueAt({ [name]: snapshots.get(name)?.back(original[name]) ?? original[name] }, steps);
}

const isSame = ({ kind, original }: LiveState, live: LiveObject, name: string): boolean => {
  const snapshot = kind.snapshots.get(name);
  return snapshot === undefined ? live[name] === original[name] : snapshot.isSame(live[name], original[name]);
};

/** Whether anything of an entity of the database differs from what was read. */
function isChanged(live: LiveObject, state: LiveState): boolean {
  const { status, shape, original, added, awaits, unit } = state;
  if (status !== "kept") return false;
  if ((unit as Unit).touched.has(live)) return true;
  return (
    awaits !== undefined || shape.differs(live, original) || added?.some((name) => !isSame(state, live, name)) === true
  );
}

/** The names of what is not written yet. */
export function pendingIn(live: LiveObject, state: LiveState): readonly string[] {
  const { shape, added, awaits } = state;
  const names = [...shape.names, ...(added ?? [])];
  const awaited = [...(awaits?.keys() ?? [])].map(({ steps }) => steps[0] as string);
  return [...new Set([...names.filter((name) => Object.hasOwn(live, name) && !isSame(state, live, name)), ...awaited])];
}

/** Entities of the database that were changed, of these entities or of all. */
export function changedIn(unit: Unit, only?: ReadonlySet<ResolvedEntity>): Changed[] {
  const found: Changed[] = [];
  for (const [entity, map] of unit.maps) {
    if (only !== undefined && !only.has(entity)) continue;
    for (const live of map.values()) {
      const state = liveStateOf(live);
      if (!isChanged(live, state)) continue;
      const names = pendingIn(live, state);
      refuseFixed(entity, names);
      found.push({ live, kept: state, names });
    }
  }
  return found;
}

/** Keys tell rows apart, so that they stay; what the database works out is its own. */
function refuseFixed(entity: ResolvedEntity, names: readonly string[]): void {
  for (const column of entity.columns.values()) {
    if (!names.includes(column.steps[0] as string)) continue;
    if (entity.isReadOnly) throw new GemachError("ENTITY_READ_ONLY", { entity: entity.name });
    if (column.isComputed) throw new GemachError("COLUMN_COMPUTED", { column: `${entity.name}.${column.property}` });
    if (column.isKey) throw workError("KEY_CHANGED", { column: `${entity.name}.${column.property}` });
  }
}

/** Whether anything of these entities, or of all, is not written yet. */
export function isUnwritten(
  unit: Unit,
  only: ReadonlySet<ResolvedEntity> | undefined,
  goesWith: (entity: ResolvedEntity, removed: ResolvedEntity) => boolean,
): boolean {
  const isGoneWith = (live: LiveObject) =>
    [...(only ?? [])].some((one) => goesWith(one, liveStateOf(live).kind.entity));
  const isAsked = (live: LiveObject) => only === undefined || only.has(liveStateOf(live).kind.entity);
  for (const live of unit.added) if (isAsked(live)) return true;
  for (const live of unit.removed) if (isAsked(live) || isGoneWith(live)) return true;
  for (const [entity, map] of unit.maps) {
    if (only !== undefined && !only.has(entity)) continue;
    for (const live of map.values()) if (isChanged(live, liveStateOf(live))) return true;
  }
  return false;
}
