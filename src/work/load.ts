import { canonicalOf, comparedKind, derivedByName, type Scalar } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  allOf,
  changedState,
  columnAt,
  pathTo,
  type QueryState,
  type ResolvedColumn,
  type ResolvedEntity,
  type ResolvedRelation,
  valueAt,
} from "../ir/index.js";
import { type Cohort, type LiveObject, type LiveState, liveStateOf, type Rules } from "../live/index.js";
import { conditionNames } from "../plan/index.js";
import { reachOf } from "../query/index.js";
import { type CallSite, completed, noLimits, rowsOfQuery, type Steps, stepsOfQuery } from "../run/index.js";
import { adopt, complete, setLoaded } from "./adopt.js";
import { identityOf } from "./identity.js";
import { defineField } from "./live-kind.js";
import { liveQuery } from "./live-query.js";
import { placeAt } from "./place-at.js";
import { isOurs, isSameInCode, mapOf, newCohort, ownOrigin, type Unit, unitOf } from "./unit.js";

/** What of a relation is known without asking: undefined where it is not. */
export function knownOne(unit: Unit, live: LiveObject, relation: ResolvedRelation): LiveObject | null | undefined {
  if (!isOurs(relation)) return undefined;
  const { pairs } = relation.steps[0];
  const values = pairs.map(({ from }) =>
    Object.hasOwn(live, from.steps[0] as string) ? valueAt(live, from.steps) : undefined,
  );
  if (values.includes(undefined)) return undefined;
  if (values.includes(null)) return null;
  const { key } = relation.target;
  const isByKey = key.length === pairs.length && pairs.every(({ to }, i) => to === key[i]);
  // Elsewhere the database alone knows which keys are equal.
  if (
    !isByKey ||
    !pairs.every(({ from, to }) => isSameInCode(from) && comparedKind(from.kind) === comparedKind(to.kind))
  )
    return undefined;
  const row: LiveObject = {};
  for (const [i, { to }] of pairs.entries()) placeAt(row, to.steps, values[i]);
  return mapOf(unit, relation.target).get(identityOf(relation.target, row));
}

/** The entities that something is loaded for with one of them: those of its cohort that lack it, from it on. */
export function cohortOf(
  unit: Unit,
  live: LiveObject,
  { cohort }: LiveState,
  lacks: (member: LiveObject, state: LiveState) => boolean,
): LiveObject[] {
  const most = unit.settings.cohort;
  const { members } = cohort;
  const start = most < members.length ? Math.max(0, members.indexOf(live)) : 0;
  const chosen: LiveObject[] = [];
  for (let i = 0; i < members.length && chosen.length < most; i++) {
    const member = members[(start + i) % members.length] as LiveObject;
    const state = liveStateOf(member);
    if (state.status === "kept" && lacks(member, state)) chosen.push(member);
  }
  return chosen.includes(live) ? chosen : [live, ...chosen.slice(1)];
}

/** Does work for a cohort once, however many of its members ask for it meanwhile. */
async function once(cohort: Cohort, name: string, isThere: () => boolean, work: () => Promise<void>): Promise<void> {
  while (!isThere()) {
    const running = cohort.loading.get(name);
    if (running === undefined) {
      const begun = work().finally(() => cohort.loading.delete(name));
      cohort.loading.set(name, begun);
      await begun;
      return;
    }
    await running;
  }
}

const reachStates = derivedByName<ResolvedEntity, string, QueryState>();

/** The query that reaches one relation from rows in memory. */
export const reachState = ({ source, name }: ResolvedRelation): QueryState =>
  reachStates(source, name, () => liveQuery(reachOf(source, { [name]: true })));

/**
 * The query that reaches a relation with the rows that no handle sees, since they are marked as removed, or what they
 * belong to is.
 */
export function wholeState(relation: ResolvedRelation): QueryState {
  const state = reachState(relation);
  const lifted = conditionNames(relation.target, "constant");
  const reach = state.reach.map((one) => ({ ...one, query: changedState(one.query, { lifted }) }));
  return lifted.length === 0 ? state : changedState(state, { reach });
}

/** The columns of an entity that a reach from it begins at. */
function keyRow(live: LiveObject, state: QueryState): LiveObject {
  const row: LiveObject = {};
  for (const { relation } of state.reach)
    for (const { from } of relation.steps[0].pairs) placeAt(row, from.steps, valueAt(live, from.steps));
  return row;
}

/** The entities that a query of their owners' entity reaches, of each owner, in one statement a relation and level. */
export async function related(
  unit: Unit,
  state: QueryState,
  owners: readonly LiveObject[],
  verb: string,
  at: CallSite | undefined,
  rules: Rules | undefined,
): Promise<readonly (readonly [ResolvedRelation, readonly (readonly LiveObject[])[]])[]> {
  const rows = await completed(
    unit.context,
    state,
    owners.map((live) => keyRow(live, state)),
    ownOrigin(verb, at),
    noLimits,
  );
  return state.reach.map(({ relation, query }) => {
    const lists = rows.map((row) => {
      const value = (row as LiveObject)[relation.name] as LiveObject[] | LiveObject | null;
      return Array.isArray(value) ? value : value === null ? [] : [value];
    });
    const lives = adopt(unit, query, lists.flat(), newCohort(at), rules);
    let next = 0;
    const ofOwners = lists.map(({ length }) => {
      next += length;
      return lives.slice(next - length, next);
    });
    return [relation, ofOwners] as const;
  });
}

/** Brings what a query of their entity reaches onto entities, in one statement a relation and level. */
export async function reachLive(
  unit: Unit,
  state: QueryState,
  owners: readonly LiveObject[],
  verb: string,
  at: CallSite | undefined,
  rules: Rules | undefined,
): Promise<void> {
  for (const [relation, lists] of await related(unit, state, owners, verb, at, rules))
    owners.forEach((live, i) => {
      const own = lists[i] as LiveObject[];
      const liveState = liveStateOf(live);
      if (liveState.related?.has(relation.name) === true) return;
      setLoaded(unit, live, liveState, relation, relation.cardinality === "many" ? own : (own[0] ?? null));
    });
}

/** Loads a relation of an entity, for its whole cohort at once. */
export async function loadRelation(
  live: LiveObject,
  state: LiveState,
  relation: ResolvedRelation,
  at: CallSite | undefined,
): Promise<unknown> {
  const unit = unitOf(state);
  const { name } = relation;
  const isThere = () => state.related?.has(name) === true;
  const source = state.status === "new" ? [relation.source] : [];
  await unit.flushFor(() => new Set([...source, ...relation.steps.map(({ target }) => target)]));
  await once(state.cohort, name, isThere, async () => {
    const lacking = cohortOf(unit, live, state, (member, other) => {
      if (other.related?.has(name) === true) return false;
      const known = knownOne(unit, member, relation);
      if (known === undefined) return true;
      setLoaded(unit, member, other, relation, known);
      return false;
    });
    if (!isThere()) await reachLive(unit, reachState(relation), lacking, "lazy read", at, state.rules);
  });
  return state.related?.get(name);
}

const keyTemplates = derivedByName<ResolvedEntity, string, QueryState>();

/** A query by one column's key, or keys, with a place for them: compiled once. */
const keyTemplate = (entity: ResolvedEntity, isOne: boolean, columns: readonly string[] | undefined): QueryState =>
  keyTemplates(entity, `${isOne} ${columns?.join("\u0000")}`, () => {
    const source = { entity };
    const [column] = entity.key as readonly [ResolvedColumn];
    const operand = columnAt(pathTo(source), column);
    const hole = { kind: "hole", hole: "key", type: column.type } as const;
    const where = isOne
      ? ({ kind: "compare", comparison: "equal", left: operand, right: hole } as const)
      : ({ kind: "oneOf", operand, values: { hole: "key" } } as const);
    const template = { ...allOf(source), where: [where], columns };
    return columns === undefined ? liveQuery(template) : template;
  });

/** The query of rows of an entity by their keys. */
export function byKeys(
  entity: ResolvedEntity,
  keys: readonly LiveObject[],
  columns: readonly string[] | undefined,
): QueryState {
  const valuesOf = ({ steps, type }: ResolvedColumn) =>
    keys.map((row): Scalar => canonicalOf(valueAt(row, steps), type) ?? null);
  const [column, ...more] = entity.key;
  if (column !== undefined && more.length === 0) {
    const values = valuesOf(column);
    const isOne = values.length === 1;
    const template = keyTemplate(entity, isOne, columns);
    const given = new Map<string, Scalar>([["key", isOne ? (values[0] as Scalar) : values]]);
    return changedState(template, { given: { template, values: given } });
  }
  const byColumn = entity.key.map(valuesOf);
  const values = keys.map((_, i) => byColumn.map((ofColumn) => ofColumn[i] as Scalar));
  const source = { entity };
  const operands = entity.key.map((column) => columnAt(pathTo(source), column));
  const state = { ...allOf(source), where: [{ kind: "inRows", operands, rows: values } as const], columns };
  return columns === undefined ? liveQuery(state) : state;
}

/** Rows of an entity by their keys, as live entities. */
export async function fetchByKeys(
  unit: Unit,
  entity: ResolvedEntity,
  keys: readonly LiveObject[],
  at: CallSite | undefined,
): Promise<LiveObject[]> {
  const state = byKeys(entity, keys, undefined);
  const rows = await rowsOfQuery(unit.context, state, ownOrigin("byKey", at));
  return adopt(unit, state, rows as LiveObject[], newCohort(at), undefined);
}

/** Reads what the database works out of rows that were written, as far as it is loaded. */
export function* renewComputed(unit: Unit, entity: ResolvedEntity, lives: readonly LiveObject[]): Steps<void> {
  const computed = [...entity.columns.values()].flatMap(({ isComputed, steps }) =>
    isComputed && lives.some((live) => Object.hasOwn(live, steps[0] as string)) ? [steps[0] as string] : [],
  );
  if (computed.length === 0) return;
  const names = [...entity.members.keys()].filter(
    (name) => computed.includes(name) || entity.key.some(({ steps }) => steps[0] === name),
  );
  const rows = (yield* stepsOfQuery(unit.context, byKeys(entity, lives, names))) as readonly LiveObject[];
  const byIdentity = new Map(rows.map((row) => [identityOf(entity, row), row]));
  for (const live of lives) {
    const row = byIdentity.get(identityOf(entity, live));
    if (row !== undefined) renew(live, liveStateOf(live), row, computed);
  }
}

/** The row of an entity as it is now in the database, plain; undefined where it is gone. */
export async function rowNow(
  unit: Unit,
  live: LiveObject,
  state: LiveState,
  at: CallSite | undefined,
): Promise<LiveObject | undefined> {
  const { entity } = state.kind;
  const names = [...entity.members.keys()].filter((name) => Object.hasOwn(live, name));
  const rows = await rowsOfQuery(unit.context, byKeys(entity, [live], names), ownOrigin("refresh", at));
  return rows[0] as LiveObject | undefined;
}

/** Loads a column of an entity that its query left out, for its whole cohort at once. */
export async function loadColumn(
  live: LiveObject,
  state: LiveState,
  name: string,
  at: CallSite | undefined,
): Promise<unknown> {
  const unit = unitOf(state);
  const { entity } = state.kind;
  const isThere = () => Object.hasOwn(live, name);
  await once(state.cohort, `column ${name}`, isThere, async () => {
    const lacking = cohortOf(unit, live, state, (member) => !Object.hasOwn(member, name));
    const columns = [...entity.members.keys()].filter(
      (member) => member === name || entity.key.some(({ steps }) => steps[0] === member),
    );
    const rows = await rowsOfQuery(unit.context, byKeys(entity, lacking, columns), ownOrigin("lazy read", at));
    for (const row of rows as LiveObject[]) {
      const found = mapOf(unit, entity).get(identityOf(entity, row));
      if (found !== undefined) complete(found, liveStateOf(found), row, [name]);
    }
    if (!isThere()) throw new GemachError("NONE_FOUND", { entity: entity.name, call: "A lazy read" });
  });
  return live[name];
}

/** Takes over what the database has now, of these columns or of all that a row has. */
export function renew(live: LiveObject, state: LiveState, row: LiveObject, names = Object.keys(row)): void {
  for (const name of names) {
    if (Object.hasOwn(live, name)) live[name] = row[name];
    else defineField(live, name, row[name]);
    state.original[name] = state.kind.snapshots.get(name)?.of(row[name]) ?? row[name];
  }
}
