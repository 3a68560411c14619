import { kinds } from "../../columns/index.js";
import {
  type Derivation,
  hasWindow,
  isLimited,
  type Node,
  type QueryState,
  type RawText,
  type ResolvedEntity,
  type Source,
  typeOf,
} from "../../ir/index.js";
import { type Output, type StatementPlan, totalOrder, withoutCursor } from "../../plan/index.js";
import { fieldsOfQuery } from "../../query/index.js";
import { type SelectBuilder, selectOver } from "../tree/select.js";
import type { Compound, RawExpression, Select, SortTerm, SqlExpression, TableTerm } from "../tree/tree.js";
import { addPresent } from "./presence.js";
import {
  addTable,
  columnOf,
  freeName,
  newScope,
  placeOf,
  releaseNames,
  type Scope,
  standingConditions,
  type TableRef,
  tableNameOf,
  tableOf,
} from "./scope.js";

/** SQL as it was written, in terms of the rows that are there. */
export const rawOf = (scope: Scope, { parts, between }: RawText): RawExpression => ({
  kind: "raw",
  parts,
  between: between.map((part) =>
    part.kind === "table" ? tableNameOf(part.entity) : scope.translate.operand(scope, part),
  ),
});

/**
 * The rows of a source, with those of others beside them, narrowed and grouped, in a select of their own. `isTied`: a
 * step leads to them, which brings the conditions that their entity carries.
 */
export function addRows(
  scope: Scope,
  { source, joins, where, groupBy, having }: Pick<StatementPlan, "source" | "joins" | "where" | "groupBy" | "having">,
  isTied: boolean,
): TableRef {
  const tableRef = addSource(scope, source);
  const { select } = tableRef;
  addPresent(where, scope.present);
  scope.rows = { source, orderBy: [], joins, groupBy };
  scope.current = select;
  for (const [i, { kind, source: other, on }] of joins.entries()) {
    const alias = freeName(scope, other.entity.table);
    const table = sourceTable(scope, other.entity, alias);
    // What the condition follows from the joined rows is joined to them before they are joined themselves.
    const apart = selectOver(table);
    const joined = addTable(apart, other.entity, alias);
    scope.tables.set(other, joined);
    const standing = standingConditions(scope, joined);
    const conditions = [...(on === undefined ? [] : [scope.translate.condition(scope, on)]), ...standing];
    const nested: TableTerm = apart.joins.length === 0 ? table : { kind: "joined", table, joins: apart.joins, alias };
    const isCross = kind === "cross";
    select.joins.push({ kind, table: nested, on: isCross ? [] : conditions });
    if (isCross) select.where.push(...conditions);
    joined.select = select;
    joined.isOptional = kind === "left" || kind === "full";
    // What stands before a row may be missing beside it too.
    if (kind === "full")
      for (const before of [source, ...joins.slice(0, i).map((join) => join.source)]) optional(scope, before);
  }
  if (!isTied) select.where.push(...standingConditions(scope, tableRef));
  select.where.push(...where.map((node) => scope.translate.condition(scope, node)));
  for (const node of groupBy ?? [])
    scope.keys.set(node, scope.translate.canonical(node, scope.translate.operand(scope, node)));
  for (const node of groupBy ?? []) {
    const key = keyOfJoined(scope, node, groupBy ?? []) ?? (scope.keys.get(node) as SqlExpression);
    scope.keys.set(node, key);
    select.groupBy.push(key);
  }
  select.having.push(...having.map((node) => scope.translate.condition(scope, node)));
  return tableRef;
}

/**
 * The key of a row that is joined, in place of the column that leads to it, where rows are grouped by more of that row:
 * an engine that knows the key to be one tells groups apart by it alone. Undefined elsewhere.
 */
function keyOfJoined(scope: Scope, node: Node, keys: readonly Node[]): SqlExpression | undefined {
  if (node.kind !== "column") return undefined;
  for (const [{ pairs, conditions }, next] of placeOf(scope, node.path).steps) {
    const [pair, ...others] = pairs;
    if (pair?.from !== node.column || others.length + conditions.length > 0 || next.isOptional) continue;
    const isOfNext = (key: Node) => key.kind === "column" && key !== node && placeOf(scope, key.path) === next;
    if (kinds[pair.to.kind].isKeyedByBytes && keys.some(isOfNext)) return columnOf(next, pair.to);
  }
  return undefined;
}

const optional = (scope: Scope, source: Source): void => {
  const table = scope.tables.get(source);
  if (table !== undefined) table.isOptional = true;
};

/** What stands in a from clause for an entity: its table, or the query that its rows come from. */
function sourceTable(scope: Scope, entity: ResolvedEntity, alias: string): TableTerm {
  const { derivation } = entity;
  if (derivation === undefined) return tableOf(entity, alias);
  if (derivation.kind === "series") {
    const [from, to] = [derivation.from, derivation.to].map((node) => scope.translate.operand(scope, node));
    return { kind: "series", from: from as SqlExpression, to: to as SqlExpression, alias };
  }
  if (derivation.kind !== "query" && derivation.kind !== "compound") {
    nameTable(scope, entity, derivation);
    return { kind: "common", of: derivation, alias };
  }
  return { kind: "derived", select: derivedRows(scope, entity, derivation), alias };
}

/** A query's select that knows nothing of the rows around it, its values under the names of an entity's columns. */
function selectApart(scope: Scope, entity: ResolvedEntity, query: QueryState, isTold = false): Select {
  const inner = newScope(scope.translate, new Map(), scope.common, scope.isTrusting, query.lifted);
  const nodes = fieldsOfQuery(query);
  const named = [...entity.columns].map(([path, { name }]) => [nodes.get(path) as Node, name] as const);
  const select = selectOf(inner, query, named);
  if (!isTold) return select;
  const items = select.items.map((item, i) => ({
    ...item,
    expression: inner.translate.canonical((named[i] as (typeof named)[number])[0], item.expression),
  }));
  return { ...select, items };
}

function derivedRows(
  scope: Scope,
  entity: ResolvedEntity,
  derivation: Extract<Derivation, { kind: "query" | "compound" }>,
): Select | Compound {
  if (derivation.kind === "query") return selectApart(scope, entity, derivation.query);
  // Rows of all parts are told apart, but for those that stay as they are.
  const isTold = derivation.operator !== "union all";
  const { operator, queries, bySets } = derivation;
  return {
    operator,
    selects: queries.map((query) => unlimited(entity, selectApart(scope, entity, query, isTold))),
    bySets: bySets && { ...selectApart(scope, entity, bySets.query), sets: bySets.sets },
  };
}

/**
 * The whole statement of a query that takes the rows of a compound as they are, so that it needs no select around them;
 * undefined where there is more to it.
 */
export function wholeCompound(scope: Scope, plan: StatementPlan): Compound | undefined {
  const { source, orderBy, limit, offset } = plan;
  const { derivation, columns } = source.entity;
  if (derivation?.kind !== "compound") return undefined;
  const isMore =
    plan.where.length + plan.joins.length + plan.joined.length + plan.ownerSteps.length + plan.having.length > 0;
  if (isMore || plan.groupBy !== undefined || plan.lock !== undefined) return undefined;
  const all = [...columns.values()];
  const isOwn = (node: Output | undefined, column?: (typeof all)[number]) =>
    node?.kind === "column" && node.path.source === source && (column === undefined || node.column === column);
  const isWhole = all.length === plan.outputs.length && all.every((column, i) => isOwn(plan.outputs[i], column));
  if (!isWhole || !orderBy.every(({ node }) => isOwn(node))) return undefined;
  const terms = orderBy.map(({ node, descending, nulls }): SortTerm => {
    const { column } = node as Extract<Node, { kind: "column" }>;
    const position = all.indexOf(column) + 1;
    return { expression: { kind: "position", position }, descending, isNullable: column.isNullable, nulls };
  });
  const rows = derivedRows(scope, source.entity, derivation) as Compound;
  const whole = { alias: source.entity.table, columns: all.map(({ name, type }) => ({ name, type })) };
  return { ...rows, orderBy: terms, limit, offset, whole };
}

/** A limited select within a compound has to stand one level down. */
function unlimited(entity: ResolvedEntity, select: Select): Select {
  if (select.limit === undefined && select.offset === undefined) return select;
  const outer = selectOver({ kind: "derived", select, alias: "part" });
  for (const { name } of entity.columns.values())
    outer.items.push({ expression: { kind: "column", table: "part", name }, alias: undefined });
  return outer;
}

/** Has the statement name a query before it begins, once. */
function nameTable(scope: Scope, entity: ResolvedEntity, derivation: Extract<Derivation, { name: string }>): void {
  if (scope.common.has(derivation)) return;
  const columns = [...entity.columns.values()].map((column) => column.name);
  const isRecursive = derivation.kind === "recursive";
  // Its own name is known inside of it.
  if (isRecursive) scope.common.set(derivation, undefined);
  if (derivation.kind === "raw") {
    const select = rawOf(newScope(scope.translate, new Map(), scope.common, scope.isTrusting), derivation.text);
    scope.common.set(derivation, { of: derivation, name: derivation.name, columns, select, isRecursive });
    return;
  }
  const parts = derivation.kind === "recursive" ? [derivation.seed, derivation.step] : [derivation.query];
  const selects = parts.map((query) => unlimited(entity, selectApart(scope, entity, query)));
  const operator = derivation.kind === "recursive" && derivation.isAll ? "union all" : "union";
  const select = isRecursive ? ({ operator, selects } as const) : (selects[0] as Select);
  scope.common.delete(derivation);
  scope.common.set(derivation, { of: derivation, name: derivation.name, columns, select, isRecursive });
}

function addSource(scope: Scope, source: Source): TableRef {
  const { entity } = source;
  const alias = freeName(scope, entity.table);
  const table = addTable(selectOver(sourceTable(scope, entity, alias)), entity, alias);
  scope.tables.set(source, table);
  return table;
}

/** A scope in which further standing conditions do not hold. */
const withLifted = (scope: Scope, lifted: readonly string[]): Scope =>
  lifted.every((name) => scope.lifted.includes(name)) ? scope : { ...scope, lifted: [...scope.lifted, ...lifted] };

/** A query's select inside of another, which may refer to the rows around it. */
export function selectOf(
  scope: Scope,
  given: QueryState,
  items: readonly (readonly [Node, string | undefined])[],
): SelectBuilder {
  const query = withoutCursor(given);
  const { joins, ...rest } = query;
  const { rows: outside, current } = scope;
  const { select } = addRows(withLifted(scope, query.lifted), { ...rest, joins }, false);
  select.items.push(...items.map(([node, alias]) => ({ expression: scope.translate.operand(scope, node), alias })));
  scope.rows = outside;
  if (isLimited(query)) {
    Object.assign(select, { limit: query.limit, offset: query.offset });
    select.orderBy.push(...totalOrder(query).map((term) => scope.translate.sortTerm(scope, term)));
  }
  scope.current = current;
  releaseNames(scope, select);
  return select;
}

/** The values of a query's rows, to find others among them: missing ones cannot be found, and would hide the rest. */
export function selectOfValues(scope: Scope, query: QueryState): SelectBuilder {
  const nodes = [...fieldsOfQuery(query).values()];
  const missing = nodes
    .filter((node) => typeOf(node).isNullable)
    .map((operand): Node => ({ kind: "not", item: { kind: "isNull", operand } }));
  // A limit leaves rows by their order, and a window sees them, before those without a value are left out.
  const isInside = missing.length === 0 || (!isLimited(query) && !nodes.some(hasWindow));
  const group = query.groupBy === undefined ? "where" : "having";
  const narrowed = isInside ? { ...query, [group]: [...query[group], ...missing] } : query;
  const names = nodes.map((node, i) => [node, isInside ? undefined : `value_${i + 1}`] as const);
  const select = selectOf(scope, narrowed, names);
  if (isInside) return select;
  const alias = freeName(scope, "found");
  const outer = selectOver({ kind: "derived", select, alias });
  nodes.forEach((node, i) => {
    const expression: SqlExpression = { kind: "column", table: alias, name: `value_${i + 1}` };
    outer.items.push({ expression, alias: undefined });
    if (typeOf(node).isNullable) outer.where.push({ kind: "isNull", operand: expression, negated: true });
  });
  releaseNames(scope, outer);
  return outer;
}

/** The keys of a query's rows, for a write to find them by: one level down, so that it may be of the same table. */
export function selectOfKeys(scope: Scope, query: QueryState, keys: readonly Node[]): SelectBuilder {
  const names = keys.map((node, i) => [node, `key_${i + 1}`] as const);
  const select = selectOf(scope, query, names);
  const outer = selectOver({ kind: "derived", select, alias: "chosen" });
  for (const [, name] of names)
    outer.items.push({ expression: { kind: "column", table: "chosen", name }, alias: undefined });
  return outer;
}

/** The value of a query's only row. */
export const selectOfOnly = (scope: Scope, query: QueryState): SelectBuilder =>
  selectOf(
    scope,
    query,
    [...fieldsOfQuery(query).values()].map((node) => [node, undefined]),
  );

/** The value of a query's first row. */
export const selectOfFirst = (scope: Scope, query: QueryState): SelectBuilder =>
  selectOfOnly(scope, { ...query, limit: 1 });

/** What stands for a row that is there: of rows without keys for groups, there is one that counts them all. */
export const presenceOf = ({ groupBy }: Pick<StatementPlan, "groupBy">): SqlExpression =>
  groupBy?.length === 0 ? { kind: "rowCount" } : { kind: "constant", value: 1 };

/** Whether a query has a row. */
export function selectOfPresence(scope: Scope, query: QueryState): SelectBuilder {
  const select = selectOf(scope, query, []);
  select.items.push({ expression: presenceOf(query), alias: undefined });
  return select;
}
