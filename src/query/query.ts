import { typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { isActive, orderNodes, predicateGiven, withActive } from "../expression/index.js";
import {
  allOf,
  changedState,
  filled,
  hasWindow,
  type JoinNode,
  type OutsideRule,
  outsideRules,
  type ParameterValues,
  type Query,
  type QueryState,
  type ReachedRelation,
  type ResolvedEntity,
  type RowLock,
  renewed,
  type Strategy,
  sourcesOf,
  stateKey,
  strategies,
} from "../ir/index.js";
import { type Definitions, type Entity, type EntityName, isEntity, type PlainRow, resolve } from "../model/index.js";
import { keyConditions } from "./by-key.js";
import type { Derived, Selecting } from "./combined-types.js";
import { compoundOf } from "./compound.js";
import { derivedSource, fieldsOf, ownProjection, rowAt } from "./derived.js";
import { descended } from "./descend.js";
import { allRows, anyOf, groupOf, type NamedKeys, partOf } from "./group.js";
import { groupedBySets, stateOfTotals } from "./grouping.js";
import { projectionOf } from "./projection.js";
import { inOwnOrder, refuseWindow, renewedKeys, standingNames } from "./query-parts.js";
import type { EntityQuery } from "./query-types.js";
import { rowCount } from "./row-count.js";

type Callback = (...rows: readonly unknown[]) => unknown;

function refuseLoop(query: BuiltQuery): never {
  throw new GemachError("QUERY_NOT_RUN", { entity: query[stateKey].source.entity.name });
}

class BuiltQuery {
  readonly [stateKey]: QueryState;
  /** What the rows are grouped by, as the callback gave it. */
  readonly #keys: unknown;

  /** Whether the source's rows are several side by side, each of which callbacks get. */
  readonly #isOfSides: boolean;

  constructor(state: QueryState, keys?: unknown, isOfSides = false) {
    this[stateKey] = state;
    this.#keys = keys;
    this.#isOfSides = isOfSides;
  }

  #with(change: Partial<QueryState>): BuiltQuery {
    const state = changedState(filled(this[stateKey]), change);
    const { cursor } = state;
    const isMore = cursor?.base !== undefined && change.cursor === undefined;
    const made = isMore ? { ...state, cursor: { ...cursor, base: undefined } } : state;
    return new BuiltQuery(made, this.#keys, this.#isOfSides);
  }

  /** This query, or one over sources of its own where it is used inside of a callback of itself. */
  #apart(): BuiltQuery {
    const state = this[stateKey];
    if (!sourcesOf(state).some(isActive)) return this;
    const { query, also } = renewed(state);
    const keys = this.#keys === undefined ? undefined : renewedKeys(this.#keys, also);
    return new BuiltQuery(query, keys, this.#isOfSides);
  }

  /** Calls a callback with its rows; what it makes of this very query is another's. */
  #call(callback: Callback, ...others: readonly unknown[]): unknown {
    return withActive(sourcesOf(this[stateKey]), () => callback(...this.#rows(), ...others));
  }

  /** What callbacks get: each source's row, or the group that they are part of. */
  #rows(): readonly unknown[] {
    const { source, joins } = this[stateKey];
    if (joins.length === 0 && this.#keys === undefined && !this.#isOfSides) return [rowAt(source)];
    const isFull = joins.some(({ kind }) => kind === "full");
    const first = rowAt(source, isFull);
    const rows = [
      ...(this.#isOfSides ? Object.values(first as object) : [first]),
      ...joins.map((join) => rowAt(join.source, join.kind === "left" || isFull)),
    ];
    return this.#keys === undefined ? rows : [groupOf(this.#keys, rows)];
  }

  where(predicate: Callback): BuiltQuery {
    const query = this.#apart();
    const node = refuseWindow(
      predicateGiven(() => query.#call(predicate), "where"),
      "where",
    );
    return query.#with({ where: [...query[stateKey].where, node] });
  }

  byKey(key: unknown): BuiltQuery {
    const { source, where } = this[stateKey];
    return this.#with({ where: [...where, ...keyConditions(source, key)] });
  }

  having(predicate: Callback): BuiltQuery {
    const query = this.#apart();
    const node = refuseWindow(
      predicateGiven(() => query.#call(predicate), "having"),
      "having",
    );
    return query.#with({ having: [...query[stateKey].having, node] });
  }

  orderBy(order: Callback): BuiltQuery {
    const query = this.#apart();
    return query.#with({ orderBy: [...query[stateKey].orderBy, ...orderNodes(query.#call(order))] });
  }

  join(other: unknown, on: Callback): BuiltQuery {
    return this.#apart().#beside("inner", other, on);
  }

  leftJoin(other: unknown, on: Callback): BuiltQuery {
    return this.#apart().#beside("left", other, on);
  }

  fullJoin(other: unknown, on: Callback): BuiltQuery {
    const { source, joins } = this[stateKey];
    if (source.entity.derivation === undefined || joins.length > 0 || isEntity(other))
      throw new GemachError("QUERY_EXPECTED", { call: "fullJoin", got: "an entity" });
    // Its rows are a source of their own, so that every engine can say them, by a union where it has to.
    const full = from(this as unknown as Derived<unknown>) as object as BuiltQuery;
    return full.#apart().#beside("full", other, on).#sideBySide();
  }

  /** The rows of two sources as those of one query, and callbacks get both. */
  #sideBySide(): BuiltQuery {
    const both = this.select((...sides) => Object.fromEntries(sides.map((side, i) => [`side_${i + 1}`, side])));
    return new BuiltQuery(rowsOf(both[stateKey]), undefined, true);
  }

  crossJoin(other: unknown): BuiltQuery {
    return this.#apart().#beside("cross", other, undefined);
  }

  #beside(kind: JoinNode["kind"], other: unknown, on: Callback | undefined): BuiltQuery {
    const source = isEntity(other) ? { entity: resolve(other) } : derivedSource(stateOf(other, "join"));
    const row = rowAt(source, kind === "left" || kind === "full");
    const condition =
      on === undefined ? undefined : predicateGiven(() => withActive([source], () => this.#call(on, row)), "join");
    return this.#with({ joins: [...this[stateKey].joins, { kind, source, on: condition }] });
  }

  lock(strength: RowLock["strength"], taken?: RowLock["taken"]): BuiltQuery {
    if (!["update", "share"].includes(strength) || ![undefined, "skip locked", "no wait"].includes(taken))
      throw new GemachError("VALUE_UNFIT", {
        column: "lock()",
        expected: "'update' or 'share', and 'skip locked' or 'no wait' or nothing",
        got: "something else",
      });
    return this.#with({ lock: { strength, taken } });
  }

  descend(relation: string): BuiltQuery {
    return new BuiltQuery(descended(this[stateKey], relation).state);
  }

  groupBy(keys: Callback): BuiltQuery {
    const query = this.#apart();
    const state = query[stateKey];
    const given = query.#call(keys);
    const groupBy = [...fieldsOf(projectionOf(given, state.source.entity.name)).values()];
    for (const node of groupBy) refuseWindow(node, "groupBy");
    return new BuiltQuery({ ...state, groupBy, reach: [], projection: undefined }, given, this.#isOfSides);
  }

  rollup(keys: Callback, work: Callback): BuiltQuery {
    const query = this.#apart();
    const given = query.#call(keys) as NamedKeys;
    const names = Object.keys(given);
    return query.#bySets(given, [...names.map((_, i) => names.slice(0, names.length - i)), []], work);
  }

  groupingSets(keys: Callback, sets: readonly (readonly string[])[], work: Callback): BuiltQuery {
    const query = this.#apart();
    return query.#bySets(query.#call(keys) as NamedKeys, sets, work);
  }

  /** Groups by each of several sets of keys, the rows of all of them together. */
  #bySets(keys: NamedKeys, sets: readonly (readonly string[])[], work: Callback): BuiltQuery {
    const { parts, bySets } = groupedBySets(this[stateKey], keys, sets, (set) =>
      work(set === undefined ? anyOf(keys, this.#rows()) : partOf(keys, set, this.#rows())),
    );
    return queryOf(compoundOf("union all", parts, bySets)) as BuiltQuery;
  }

  totals(work: Callback): BuiltQuery {
    const query = this.#apart();
    return new BuiltQuery(stateOfTotals(query[stateKey], () => work(allRows(query.#rows()))));
  }

  distinct(): BuiltQuery {
    const { projection, groupBy, source } = this[stateKey];
    if (projection === undefined) return this;
    const values = [...fieldsOf(projection).values()];
    if (groupBy !== undefined || values.some(hasWindow))
      throw new GemachError("DISTINCT_UNFIT", { entity: source.entity.name });
    return this.#with({ groupBy: values });
  }

  limit(rows: number): BuiltQuery {
    return this.#with({ limit: rowCount(rows, "limit") });
  }

  offset(rows: number): BuiltQuery {
    return this.#with({ offset: rowCount(rows, "offset") });
  }

  after(cursor: unknown): BuiltQuery {
    return this.#with({ cursor: { text: cursor, side: "after", base: this[stateKey] } });
  }

  before(cursor: unknown): BuiltQuery {
    return this.#with({ cursor: { text: cursor, side: "before", base: this[stateKey] } });
  }

  given(value: unknown, then: (query: BuiltQuery, value: unknown) => BuiltQuery): BuiltQuery {
    return value === undefined || value === null ? this : then(this, value);
  }

  columns(...names: readonly string[]): BuiltQuery {
    const { source } = this[stateKey];
    const known = [...source.entity.members.keys()];
    if (names.length === 0)
      throw new GemachError("VALUE_UNFIT", { column: "columns()", expected: "at least one column", got: "none" });
    for (const name of names)
      if (!known.includes(name)) throw new GemachError("NAME_UNKNOWN", { entity: source.entity.name, name, known });
    return this.#with({ columns: names });
  }

  outside(rule: OutsideRule, ...names: readonly string[]): BuiltQuery {
    const { source, outside } = this[stateKey];
    const { members, relations, name: entity } = source.entity;
    if (!outsideRules.includes(rule))
      throw new GemachError("OUTSIDE_UNKNOWN", { given: String(rule), known: outsideRules });
    const known = [...members.keys(), ...relations.keys()];
    for (const name of names) if (!known.includes(name)) throw new GemachError("NAME_UNKNOWN", { entity, name, known });
    if (names.length === 0) return this.#with({ outside: { all: rule, named: outside?.named ?? new Map() } });
    const named = new Map([...(outside?.named ?? []), ...names.map((name) => [name, rule] as const)]);
    return this.#with({ outside: { all: outside?.all, named } });
  }

  lift(...names: readonly string[]): BuiltQuery {
    const { source, lifted } = this[stateKey];
    const known = standingNames(source.entity);
    for (const name of names)
      if (!known.has(name))
        throw new GemachError("NAME_UNKNOWN", { entity: source.entity.name, name, known: [...known] });
    return this.#with({ lifted: [...new Set([...lifted, ...names])] });
  }

  accept(kind: string, reason: string): BuiltQuery {
    if (typeof reason !== "string" || reason.trim() === "")
      throw new GemachError("VALUE_UNFIT", { column: "accept()", expected: "a reason", got: typeWord(reason) });
    return this.#with({ accepted: [...(this[stateKey].accepted ?? []), { kind, reason }] });
  }

  counted(): BuiltQuery {
    return this.#with({ isCounted: true, reach: [], projection: undefined });
  }

  deep(levels: number = Number.POSITIVE_INFINITY): BuiltQuery {
    return this.#with({ levels: levels === Number.POSITIVE_INFINITY ? levels : rowCount(levels, "deep") });
  }

  plannedAnew(): BuiltQuery {
    return this.#with({ isPlannedAnew: true });
  }

  snapshot(): BuiltQuery {
    return this.#with({ isSnapshot: true });
  }

  how(strategy: Strategy): BuiltQuery {
    if (!strategies.includes(strategy))
      throw new GemachError("STRATEGY_UNKNOWN", { given: String(strategy), known: strategies });
    return this.#with({ strategy });
  }

  reach(shape: object): BuiltQuery {
    const { source, reach } = this[stateKey];
    const reached = Object.entries(shape).map(([name, value]): ReachedRelation => {
      const relation = source.entity.relations.get(name);
      if (relation === undefined) {
        const known = [...source.entity.relations.keys()];
        throw new GemachError("NAME_UNKNOWN", { entity: source.entity.name, name, known });
      }
      const all = new BuiltQuery(allOf({ entity: relation.target }));
      const fault = (got: string) =>
        new GemachError("REACH_UNFIT", { entity: source.entity.name, relation: name, got });
      if (value === true) return { relation, query: inOwnOrder(all[stateKey], relation) };
      if (typeof value === "function") {
        const narrowed: unknown = value(all);
        if (!isQuery(narrowed) || narrowed[stateKey].source !== all[stateKey].source)
          throw fault("a function that does not return the query it got");
        return { relation, query: inOwnOrder(narrowed[stateKey], relation) };
      }
      if (typeof value !== "object" || value === null) throw fault(`${value === null ? "null" : `a ${typeof value}`}`);
      return { relation, query: inOwnOrder(all.reach(value)[stateKey], relation) };
    });
    const again = new Set(reached.map(({ relation }) => relation));
    return this.#with({ reach: [...reach.filter(({ relation }) => !again.has(relation)), ...reached] });
  }

  select(projection: Callback): BuiltQuery {
    const query = this.#apart();
    const made = projectionOf(query.#call(projection), query[stateKey].source.entity.name);
    return query.#with({ projection: made, reach: [] });
  }

  [Symbol.iterator](): never {
    return refuseLoop(this);
  }

  [Symbol.asyncIterator](): never {
    return refuseLoop(this);
  }
}

/** Starts a query: all rows of an entity, each with its columns and nothing else; or the rows of another query. */
export function from<D extends Definitions<D>, E extends EntityName<D>>(
  entity: Entity<D, E>,
): EntityQuery<D, E, PlainRow<D, E>>;
export function from<S>(query: Selecting<S>): Derived<S>;
export function from(given: unknown): unknown {
  if (isEntity(given)) return new BuiltQuery(allOf({ entity: resolve(given) }));
  if (!isQuery(given)) throw new GemachError("ENTITY_EXPECTED", { call: "from", got: typeWord(given) });
  return new BuiltQuery(rowsOf(given[stateKey]));
}

/** A query of an entity that reaches a shape. @internal */
export const reachOf = (entity: ResolvedEntity, shape: object): QueryState =>
  new BuiltQuery(allOf({ entity })).reach(shape)[stateKey];

/** Another query's rows, as a query. */
function rowsOf(query: QueryState): QueryState {
  const source = derivedSource(query);
  return { ...allOf(source), projection: ownProjection(source) };
}

/** A source without a table, as a query. @internal */
export function queryOf(entity: ResolvedEntity): unknown {
  const source = { entity };
  return new BuiltQuery({ ...allOf(source), projection: ownProjection(source) });
}

/** Whether a query is of an entity's own rows, without others beside them, groups and projection. @internal */
export const isPlainQuery = ({ source, joins, groupBy, projection }: QueryState): boolean =>
  source.entity.derivation === undefined && joins.length === 0 && groupBy === undefined && projection === undefined;

/** A query with what a function names of each of its rows. @internal */
export const withProjection = (query: QueryState, projection: (row: unknown) => unknown): QueryState => ({
  ...query,
  projection: projectionOf(projection(rowAt(query.source)), query.source.entity.name),
});

/** A query of what was said. @internal */
export const builtQuery = (state: QueryState): unknown => new BuiltQuery(state);

/** A template's query with values for its parameters. @internal */
export const boundQuery = (template: QueryState, values: ParameterValues): unknown =>
  new BuiltQuery({ ...template, given: { template, values } });

/** Whether a value is a query. @internal */
export function isQuery(value: unknown): value is Query {
  return value instanceof BuiltQuery;
}

/**
 * All that was said of a query.
 * @throws GemachError `QUERY_EXPECTED` for anything else.
 * @internal
 */
export function stateOf(query: unknown, call: string): QueryState {
  if (!isQuery(query))
    throw new GemachError("QUERY_EXPECTED", { call, got: isEntity(query) ? "an entity" : typeWord(query) });
  return query[stateKey];
}
