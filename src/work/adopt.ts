import { derived } from "../columns/index.js";
import { workError } from "../errors/index.js";
import type { QueryState, ResolvedEntity, ResolvedRelation } from "../ir/index.js";
import {
  type Cohort,
  type LiveObject,
  type LiveState,
  liveStateOf,
  noteAddedColumn,
  type Rules,
} from "../live/index.js";
import { noteKey, noteOwner } from "./follow.js";
import { identityOf } from "./identity.js";
import { defineField } from "./live-kind.js";
import { isOurs, kindOf, mapOf, mirrorsOf, type Unit, unitOf } from "./unit.js";

/** The names of the columns that a row has where a query names none: all but heavy ones. */
export const usualColumns = derived((entity: ResolvedEntity): readonly string[] =>
  [...entity.members].flatMap(([name, member]) => ("fields" in member || !member.isHeavy ? [name] : [])),
);

/** Gives an entity the columns of a row that it has not yet; what it has stays as it is. */
export function complete(live: LiveObject, state: LiveState, row: LiveObject, names: readonly string[]): void {
  for (const name of names) {
    if (Object.hasOwn(live, name) || !(name in row)) continue;
    defineField(live, name, row[name]);
    state.original[name] = state.kind.snapshots.get(name)?.of(row[name]) ?? row[name];
    noteAddedColumn(state, name);
  }
  const { partial } = unitOf(state);
  if (partial.has(live) && usualColumns(state.kind.entity).every((name) => Object.hasOwn(live, name)))
    partial.delete(live);
}

/** Notes a relation as loaded. */
export function setLoaded(
  unit: Unit,
  live: LiveObject,
  state: LiveState,
  relation: ResolvedRelation,
  value: unknown,
): void {
  state.related ??= new Map();
  state.related.set(relation.name, value);
  noteKey(live, state, relation, value);
  state.kind.show(live, relation);
  if (!isOurs(relation) && value !== null)
    for (const back of mirrorsOf(relation))
      for (const one of Array.isArray(value) ? value : [value]) noteOwner(one as LiveObject, back, live);
  if (relation.steps.length > 1)
    for (const [i, { target, holder }] of relation.steps.entries()) {
      // The rows at the end matter where they say themselves whose they are.
      if (i === relation.steps.length - 1 && holder === "source") continue;
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
  const isPartial = query.columns !== undefined && usualColumns(entity).some((name) => !names.includes(name));
  const rules = query.outside === undefined ? above : { own: query.outside, above };
  const reached = query.reach.map(({ relation, query: others }) => ({
    relation,
    of: adoptReached(unit, relation, others, rows, cohort, rules),
  }));
  // A row that several owners share comes again, when its key is a print already.
  const seen = entity.key.some(({ steps }) => kind.snapshots.has(steps[0] as string))
    ? new Map<LiveObject, LiveObject>()
    : undefined;
  return rows.map((row, i) => {
    const before = seen?.get(row);
    const identity = before === undefined ? identityOf(entity, row) : undefined;
    let live = before ?? map.get(identity);
    let state: LiveState;
    if (live === undefined) {
      state = {
        unit,
        kind,
        shape,
        status: "kept",
        original: row,
        added: undefined,
        cohort,
        related: undefined,
        ledBy: undefined,
        owners: undefined,
        rules,
        awaits: undefined,
      };
      live = shape.create(state, row);
      map.set(identity, live);
      cohort.members.push(live);
      if (isPartial) unit.partial.add(live);
      seen?.set(row, live);
    } else {
      state = liveStateOf(live);
      if (isRoot && state.cohort === cohort) throw workError("KEY_REPEATED", { entity: entity.name });
      if (state.shape !== shape) complete(live, state, row, names);
      if (state.cohort !== cohort) {
        state.cohort = cohort;
        cohort.members.push(live);
      }
    }
    for (const { relation, of } of reached)
      if (state.related?.has(relation.name) !== true) setLoaded(unit, live, state, relation, of(i));
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
