import { derived } from "../columns/index.js";
import { GemachError, workError } from "../errors/index.js";
import type { ResolvedColumn, ResolvedEntity, ResolvedRelation } from "../ir/index.js";
import { LiveBase, type LiveObject, type LiveState, liveStateOf } from "../live/index.js";
import { withGiven } from "../plan/index.js";
import { setLoaded } from "./adopt.js";
import { addToLists, expectLive, joinTo, removeFromLists, setRelation } from "./relations.js";
import { isDirect, isOurs, kindOf, type Unit } from "./unit.js";

/** What one call adds: new entities, and what is said of their relations once all of them are there. */
interface Adding {
  readonly made: LiveObject[];
  readonly ties: (() => void)[];
}

const isObject = (value: unknown): value is LiveObject => typeof value === "object" && value !== null;

/** The columns for which code makes a value. */
const startingIn = derived((entity: ResolvedEntity): readonly ResolvedColumn[] =>
  [...entity.columns.values()].filter(({ initial, steps }) => initial !== undefined && steps.length === 1),
);

/** The columns of a new row; its relations stay apart. */
function columnsIn(
  entity: ResolvedEntity,
  row: LiveObject,
): { readonly columns: LiveObject; readonly relations: ResolvedRelation[] } {
  const columns: LiveObject = {};
  const relations: ResolvedRelation[] = [];
  for (const name of Object.keys(row)) {
    const value = row[name];
    if (entity.members.has(name)) {
      if (value !== undefined) columns[name] = value;
      continue;
    }
    const relation = entity.relations.get(name);
    if (relation === undefined) {
      const known = [...entity.members.keys(), ...entity.relations.keys()];
      throw new GemachError("NAME_UNKNOWN", { entity: entity.name, name, known });
    } else if (value !== undefined) relations.push(relation);
  }
  for (const column of startingIn(entity))
    if (columns[column.property] === undefined) columns[column.property] = column.initial?.();
  return { columns, relations };
}

function newEntity(unit: Unit, entity: ResolvedEntity, row: unknown, adding: Adding): LiveObject {
  if (!isObject(row)) throw new GemachError("ROWS_EXPECTED", { call: "add", entity: entity.name, got: typeof row });
  if (entity.isReadOnly) throw new GemachError("ENTITY_READ_ONLY", { entity: entity.name });
  const { columns, relations } = columnsIn(entity, row);
  if (entity.standing.length > 0) Object.assign(columns, withGiven(entity, [columns], unit.context.values, "add")[0]);
  const kind = kindOf(unit, entity, columns);
  const shape = kind.shapeFor(Object.keys(columns));
  const state: LiveState = {
    unit,
    kind,
    shape,
    status: "new",
    original: columns,
    added: undefined,
    cohort: unit.fresh,
    related: undefined,
    ledBy: undefined,
    owners: undefined,
    rules: undefined,
    awaits: undefined,
  };
  const live = shape.create(state, columns);
  unit.added.add(live);
  adding.made.push(live);
  for (const relation of relations) addTies(unit, live, relation, row[relation.name], adding);
  return live;
}

/** What a new entity was given for a relation: entities, or objects that become new ones. */
function addTies(unit: Unit, live: LiveObject, relation: ResolvedRelation, given: unknown, adding: Adding): void {
  const { source, target, name, cardinality } = relation;
  if (!isDirect(relation))
    throw workError("RELATION_UNSETTABLE", {
      entity: source.name,
      relation: name,
      reason: "it goes over other relations, or has a condition",
    });
  const entityOf = (value: unknown): LiveObject =>
    LiveBase.of(value) === undefined && isObject(value)
      ? newEntity(unit, target, value, adding)
      : expectLive(unit, value, `${source.name}.${name}`, target);
  if (cardinality === "one") {
    const other = given === null ? null : entityOf(given);
    if (isOurs(relation)) adding.ties.push(() => setRelation(live, liveStateOf(live), relation, other));
    else if (other !== null) adding.ties.push(() => joinTo(live, relation, other));
    return;
  }
  if (!Array.isArray(given))
    throw new GemachError("ROWS_EXPECTED", { call: "add", entity: target.name, got: "something else" });
  const children = given.map(entityOf);
  adding.ties.push(() => {
    if (liveStateOf(live).related?.has(name) !== true) setLoaded(unit, live, liveStateOf(live), relation, []);
    for (const child of children) joinTo(live, relation, child);
  });
}

/** A new entity, with all that is new in the object, to be inserted when changes are written. */
export function add(unit: Unit, entity: ResolvedEntity, row: unknown): LiveObject {
  const adding: Adding = { made: [], ties: [] };
  const live = newEntity(unit, entity, row, adding);
  for (const tie of adding.ties) tie();
  for (const one of adding.made) addToLists(unit, one);
  return live;
}

/** An entity to be deleted when changes are written. */
export function remove(unit: Unit, value: unknown): void {
  const live = expectLive(unit, value, "remove()");
  const state = liveStateOf(live);
  removeFromLists(unit, live);
  if (state.status === "new") {
    unit.added.delete(live);
    unit.waiting.delete(live);
    unit.forgets = true;
    state.status = "forgotten";
    return;
  }
  state.status = "removed";
  unit.removed.add(live);
}
