import { derived } from "../columns/index.js";
import { workError } from "../errors/index.js";
import type { QueryState, ResolvedEntity, ResolvedRelation } from "../ir/index.js";
import { type Cohort, type Kept, keptOf, type LiveObject, noteFurther, type Rules } from "../live/index.js";
import { noteKey, noteOwner } from "./follow.js";
import { identityOf } from "./identity.js";
import { put } from "./live-kind.js";
import { isOurs, kindOf, mapOf, mirrorsOf, type Unit } from "./unit.js";

/** The names of the columns that a row has where a query names none: all but heavy ones. */
export const usualColumns = derived((entity: ResolvedEntity): readonly string[] =>
  [...entity.members].flatMap(([name, member]) => ("fields" in member || !member.isHeavy ? [name] : [])),
);

/** Gives an entity the columns of a row that it has not yet; what it has stays as it is. */
export function complete(live: LiveObject, kept: Kept, row: LiveObject, names: readonly string[]): void {
  for (const name of names) {
    if (Object.hasOwn(live, name) || !(name in row)) continue;
    put(live, name, row[name]);
    kept.was[name] = kept.kind.prints.get(name)?.of(row[name]) ?? row[name];
    noteFurther(kept, name);
  }
}

/** Notes a relation as loaded. */
export function setLoaded(unit: Unit, live: LiveObject, kept: Kept, relation: ResolvedRelation, value: unknown): void {
  kept.related ??= new Map();
  kept.related.set(relation.name, value);
  noteKey(live, kept, relation, value);
  kept.kind.show(live, relation);
  if (!isOurs(relation) && value !== null)
    for (const back of mirrorsOf(relation))
      for (const one of Array.isArray(value) ? value : [value]) noteOwner(one as LiveObject, back, live);
  if (relation.steps.length > 1)
    for (const { target } of relation.steps.slice(0, -1)) {
      const far = unit.distant.get(target) ?? new Map<LiveObject, Set<string>>();
      unit.distant.set(target, far);
      far.set(live, (far.get(live) ?? new Set()).add(relation.name));
    }
}

/**
 * Live entities of plain rows: those that are there already, or new ones, which take the rows over. What the rows reach
 * becomes live too, and each relation's rows a cohort of their own.
 */
export function adopt(
  unit: Unit,
  query: QueryState,
  rows: readonly LiveObject[],
  cohort: Cohort,
  above: Rules | undefined,
  isRoot = false,
): LiveObject[] {
  const { entity } = query.source;
  if (rows.length === 0) return [];
  const map = mapOf(unit, entity);
  const names = query.columns ?? usualColumns(entity);
  const kind = kindOf(unit, entity, rows[0] as LiveObject);
  const shape = kind.shapeFor(names);
  const rules = query.outside === undefined ? above : { own: query.outside, above };
  const reached = query.reach.map(({ relation, query: further }) => ({
    relation,
    of: adoptReached(unit, relation, further, rows, cohort, rules),
  }));
  // A row that several owners share comes again, when its key is a print already.
  const seen = entity.key.some(({ steps }) => kind.prints.has(steps[0] as string))
    ? new Map<LiveObject, LiveObject>()
    : undefined;
  return rows.map((row, i) => {
    const before = seen?.get(row);
    const identity = before === undefined ? identityOf(entity, row) : undefined;
    let live = before ?? map.get(identity);
    let kept: Kept;
    if (live === undefined) {
      kept = {
        unit,
        kind,
        shape,
        standing: "kept",
        was: row,
        further: undefined,
        cohort,
        related: undefined,
        ledBy: undefined,
        owners: undefined,
        rules,
        awaits: undefined,
      };
      live = shape.create(kept, row);
      map.set(identity, live);
      cohort.members.push(live);
      seen?.set(row, live);
    } else {
      kept = keptOf(live);
      if (isRoot && kept.cohort === cohort) throw workError("KEY_REPEATED", { entity: entity.name });
      if (kept.shape !== shape) complete(live, kept, row, names);
      if (kept.cohort !== cohort) {
        kept.cohort = cohort;
        cohort.members.push(live);
      }
    }
    for (const { relation, of } of reached)
      if (kept.related?.has(relation.name) !== true) setLoaded(unit, live, kept, relation, of(i));
    return live;
  });
}

/** The live entities of a reached relation, of all rows together; gives those of each row. */
function adoptReached(
  unit: Unit,
  { name, cardinality }: ResolvedRelation,
  query: QueryState,
  owners: readonly LiveObject[],
  { at }: Cohort,
  rules: Rules | undefined,
): (owner: number) => unknown {
  const lists = owners.map((owner) => {
    const value = owner[name] as LiveObject[] | LiveObject | null;
    if (Array.isArray(value)) return value;
    return value === null ? [] : [value];
  });
  const live = adopt(unit, query, lists.flat(), { members: [], loading: new Map(), at }, rules);
  const starts: number[] = [];
  let count = 0;
  for (const list of lists) {
    starts.push(count);
    count += list.length;
  }
  return (owner) => {
    const start = starts[owner] as number;
    const own = live.slice(start, start + (lists[owner] as LiveObject[]).length);
    return cardinality === "many" ? own : (own[0] ?? null);
  };
}

/** An entity is no longer found by its key. */
export function leave(unit: Unit, entity: ResolvedEntity, live: LiveObject): void {
  const map = mapOf(unit, entity);
  const identity = identityOf(entity, live);
  if (map.get(identity) === live) map.delete(identity);
}
