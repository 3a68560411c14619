import { GemachError, workError } from "../errors/index.js";
import { type ResolvedColumn, type ResolvedEntity, valueAt } from "../ir/index.js";
import { type Kept, keptOf, type LiveObject } from "../live/index.js";
import type { Unit } from "./unit.js";

/** An entity whose columns were given other values than it was read with. */
export interface Changed {
  readonly live: LiveObject;
  readonly kept: Kept;
  /** The names of its columns and value objects that differ. */
  readonly names: readonly string[];
}

/** A column's value as it was read. */
export function readAs({ kind: { prints }, was }: Kept, { steps }: ResolvedColumn): unknown {
  const name = steps[0] as string;
  return valueAt({ [name]: prints.get(name)?.back(was[name]) ?? was[name] }, steps);
}

const isSame = ({ kind, was }: Kept, live: LiveObject, name: string): boolean => {
  const print = kind.prints.get(name);
  return print === undefined ? live[name] === was[name] : print.isSame(live[name], was[name]);
};

/** Whether anything of an entity of the database differs from what was read. */
function isChanged(live: LiveObject, kept: Kept): boolean {
  const { standing, shape, was, further, awaits, unit } = kept;
  if (standing !== "kept") return false;
  if ((unit as Unit).touched.has(live)) return true;
  return (
    awaits !== undefined || shape.differs(live, was) || further?.some((name) => !isSame(kept, live, name)) === true
  );
}

/** The names of what is not written yet. */
export function pendingIn(live: LiveObject, kept: Kept): readonly string[] {
  const { shape, further, awaits } = kept;
  const names = [...shape.names, ...(further ?? [])];
  const awaited = [...(awaits?.keys() ?? [])].map(({ steps }) => steps[0] as string);
  return [...new Set([...names.filter((name) => Object.hasOwn(live, name) && !isSame(kept, live, name)), ...awaited])];
}

/** Entities of the database that were changed, of these entities or of all. */
export function changedIn(unit: Unit, only?: ReadonlySet<ResolvedEntity>): Changed[] {
  const found: Changed[] = [];
  for (const [entity, map] of unit.maps) {
    if (only !== undefined && !only.has(entity)) continue;
    for (const live of map.values()) {
      const kept = keptOf(live);
      if (!isChanged(live, kept)) continue;
      const names = pendingIn(live, kept);
      refuseFixed(entity, names);
      found.push({ live, kept, names });
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
  const isGoneWith = (live: LiveObject) => [...(only ?? [])].some((one) => goesWith(one, keptOf(live).kind.entity));
  const isAsked = (live: LiveObject) => only === undefined || only.has(keptOf(live).kind.entity);
  for (const live of unit.added) if (isAsked(live)) return true;
  for (const live of unit.removed) if (isAsked(live) || isGoneWith(live)) return true;
  for (const [entity, map] of unit.maps) {
    if (only !== undefined && !only.has(entity)) continue;
    for (const live of map.values()) if (isChanged(live, keptOf(live))) return true;
  }
  return false;
}
