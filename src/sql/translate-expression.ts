import { GemachError } from "../errors/index.js";
import {
  type AggregateNode,
  type CallName,
  type CallNode,
  type Comparison,
  type Derivation,
  type FirstNode,
  type GroupNode,
  matchCalls,
  type Node,
  type OrderNode,
  type Projection,
  type QueryState,
  type RawText,
  type ResolvedEntity,
  type SetNode,
  type Source,
  typeOf,
  type WindowNode,
} from "../expression/index.js";
import { isCut, type StatementPlan, totalOrder } from "../plan/index.js";
import { patternOf } from "./calls.js";
import { isExact } from "./dialect.js";
import {
  columnOf,
  draftFrom,
  freeName,
  keysEqual,
  newScope,
  type Place,
  placeIn,
  placeOf,
  releaseNames,
  type Scope,
  type SelectDraft,
  tableOf,
} from "./scope.js";
import type { Compound, Operator, RawExpression, Select, SortTerm, SqlExpression, TableTerm } from "./tree.js";

const operators: Record<Comparison, Operator> = {
  equal: "=",
  unequal: "<>",
  below: "<",
  above: ">",
  atMost: "<=",
  atLeast: ">=",
};

const opposite: Record<Comparison, Comparison> = {
  equal: "unequal",
  unequal: "equal",
  below: "atLeast",
  above: "atMost",
  atMost: "above",
  atLeast: "below",
};

type HoleNode = Extract<Node, { kind: "hole" }>;

type ValueNode = Extract<Node, { kind: "value" }>;

/** Whether an expression may give no value where it stands, be it for want of the whole row. */
function isNullable(scope: Scope, node: Node): boolean {
  if (typeOf(node).isNullable) return true;
  if (node.kind === "column") return placeOf(scope, node.path).isOptional;
  return node.kind === "call" && node.operands.some((operand) => isNullable(scope, operand));
}

/** Two missing values are neither equal nor distinct in SQL; here they are unequal, as a missing value is to any other. */
function comparison(scope: Scope, node: Extract<Node, { kind: "compare" }>, negated: boolean): SqlExpression {
  const isOrdered = node.comparison !== "equal" && node.comparison !== "unequal";
  const isGiven = ({ kind }: Node) => kind === "value" || kind === "hole";
  const needsOrder = isOrdered || !(isGiven(node.left) || isGiven(node.right));
  const side = (own: Node, other: Node): SqlExpression => {
    // Digits beside a column are of its type; beside anything else an engine may read them as a double.
    const item = other.kind !== "column" && isExact(typeOf(own).type.kind) ? operand(scope, own) : value(scope, own);
    return needsOrder ? sortable(own, item) : item;
  };
  const left = side(node.left, node.right);
  const right = side(node.right, node.left);
  const missing = [node.left, node.right].filter((operand) => isNullable(scope, operand)).length;
  const [positive, isOpposite] =
    node.comparison === "unequal" ? (["equal", !negated] as const) : [node.comparison, negated];
  const equation: SqlExpression = { kind: "binary", operator: operators[positive], left, right };
  if (!isOpposite) return equation;
  if (missing === 0) return { ...equation, operator: operators[opposite[positive]] };
  if (missing === 1 && positive === "equal") return { kind: "distinct", left, right };
  return { kind: "isTrue", item: equation, negated: true };
}

/**
 * A condition as it stands in a where clause, where unknown counts as false. What is negated is
 * negated at the leaves, so that a missing value makes a comparison false, and its opposite true.
 */
export function condition(scope: Scope, node: Node, negated = false): SqlExpression {
  switch (node.kind) {
    case "compare":
      return comparison(scope, node, negated);
    case "isNull":
      return { kind: "isNull", operand: value(scope, node.operand), negated };
    case "oneOf": {
      const operand = value(scope, node.operand);
      const inList: SqlExpression = {
        kind: "inList",
        operand,
        values: node.values,
        type: typeOf(node.operand).type,
        negated,
      };
      if (!negated || !isNullable(scope, node.operand)) return inList;
      return { kind: "logic", operator: "or", items: [{ kind: "isNull", operand, negated: false }, inList] };
    }
    case "logic": {
      const operator = (node.operator === "and") === negated ? "or" : "and";
      if (node.items.length === 0) return { kind: "constant", value: operator === "and" };
      const items = node.items.map((item) => condition(scope, item, negated));
      return items.length === 1 && items[0] !== undefined ? items[0] : { kind: "logic", operator, items };
    }
    case "not":
      return condition(scope, node.item, !negated);
    case "inRows": {
      const item = {
        kind: "inRows",
        operands: node.operands.map((part) => value(scope, part)),
        types: node.operands.map((part) => typeOf(part).type),
        rows: node.rows,
      } as const;
      return negated ? { kind: "isTrue", item, negated } : item;
    }
    case "inQuery": {
      const operands = node.operands.map((part) => value(scope, part));
      const inSelect = { kind: "inSelect", operands, select: selectOfValues(scope, node.query) } as const;
      if (!negated || !node.operands.some((part) => isNullable(scope, part))) return { ...inSelect, negated };
      return { kind: "isTrue", item: { ...inSelect, negated: false }, negated };
    }
    case "existsQuery":
      return { kind: "exists", select: selectOfPresence(scope, node.query), negated };
    case "exists":
      return {
        kind: "exists",
        select: relatedSelect(scope, node.set, () => ({ kind: "constant", value: 1 })),
        negated,
      };
    case "call": {
      const like = likeOf(scope, node, negated);
      if (like !== undefined) return like;
      const item = callOf(scope, node);
      if (!negated) return item;
      return isNullable(scope, node) ? { kind: "isTrue", item, negated: true } : { kind: "not", item };
    }
    case "column":
    case "value":
    case "hole":
    case "case":
    case "first":
    case "aggregate":
    case "group":
    case "window":
    case "raw": {
      const item = value(scope, node);
      if (!negated) return item;
      return isNullable(scope, node) ? { kind: "isTrue", item, negated: true } : { kind: "not", item };
    }
    default:
      return node satisfies never;
  }
}

/** Whether a condition, as translated, may be unknown. */
function mayBeUnknown(scope: Scope, node: Node): boolean {
  switch (node.kind) {
    case "compare":
      return isNullable(scope, node.left) || isNullable(scope, node.right);
    case "oneOf":
      return isNullable(scope, node.operand);
    case "logic":
      return node.items.some((item) => mayBeUnknown(scope, item));
    case "not":
      return mayBeUnknown(scope, node.item);
    case "call":
      return matchCalls.has(node.call) && node.operands.some((part) => isNullable(scope, part));
    case "inRows":
    case "inQuery":
      return node.operands.some((part) => isNullable(scope, part));
    default:
      return false;
  }
}

/** An expression where its value matters: in a projection, an order, a comparison. */
export function value(scope: Scope, node: Node): SqlExpression {
  const key = scope.keys.get(node);
  if (key !== undefined) return key;
  switch (node.kind) {
    case "column":
      return columnOf(placeOf(scope, node.path), node.column);
    case "value": {
      return parameterOf(scope.values, node, false);
    }
    case "hole":
      return holeOf(scope, node, false);
    case "group":
      return groupAggregate(scope, node);
    case "window":
      return windowOf(scope, node);
    case "raw":
      return rawOf(scope, node);
    case "call":
      return matchCalls.has(node.call) ? truth(scope, node) : callOf(scope, node);
    case "case":
      return {
        kind: "case",
        branches: node.branches.map(({ when, value: then }) => ({
          when: condition(scope, when),
          value: operand(scope, then),
        })),
        otherwise: node.otherwise === undefined ? undefined : operand(scope, node.otherwise),
      };
    case "aggregate":
      return scope.dialect.hasDeepCorrelation || !isCut(node.set)
        ? { kind: "subquery", select: aggregateSelect(scope, node) }
        : cutCount(scope, node);
    case "first":
      return { kind: "subquery", select: firstSelect(scope, node) };
    case "compare":
    case "isNull":
    case "oneOf":
    case "logic":
    case "not":
    case "exists":
    case "inRows":
    case "inQuery":
    case "existsQuery":
      return truth(scope, node);
    default:
      return node satisfies never;
  }
}

/** A predicate as a value: true or false, never unknown. */
function truth(scope: Scope, node: Node): SqlExpression {
  const item = condition(scope, node);
  return mayBeUnknown(scope, node) ? { kind: "isTrue", item, negated: false } : item;
}

/** A value where nothing beside it says its type: inside of a call, or selected. */
export function operand(scope: Scope, node: Node): SqlExpression {
  const key = scope.keys.get(node);
  if (key !== undefined) return key;
  if (node.kind === "hole") return holeOf(scope, node, true);
  return node.kind === "value" ? parameterOf(scope.typedValues, node, true) : value(scope, node);
}

/** A template's parameter. */
const holeOf = (scope: Scope, node: HoleNode, isTyped: boolean): SqlExpression => {
  const known = isTyped ? scope.typedValues : scope.values;
  const there = known.get(node);
  if (there !== undefined) return there;
  const { hole, type } = node;
  const made = { kind: "parameter", parameter: { kind: "hole", hole, type, isTyped, isList: false } } as const;
  known.set(node, made);
  return made;
};

/** A value's parameter, the same one wherever the value stands. */
function parameterOf(known: Scope["values"], node: ValueNode, isTyped: boolean): SqlExpression {
  const there = known.get(node);
  if (there !== undefined) return there;
  const { value: given, type } = node;
  const made = { kind: "parameter", parameter: { kind: "value", value: given, type, isTyped } } as const;
  known.set(node, made);
  return made;
}

const callOf = (scope: Scope, { call, operands, type }: CallNode): SqlExpression => ({
  kind: "call",
  call,
  operands: operands.map((part) => operand(scope, part)),
  type,
  of: operands.map(typeOf),
});

/** One value of a group's rows, or of those for which a condition is true. */
function groupAggregate(scope: Scope, { aggregate, operand: of, filter, type }: GroupNode): SqlExpression {
  if (of === undefined && filter === undefined) return { kind: "rowCount" };
  const given: SqlExpression = of === undefined ? { kind: "constant", value: 1 } : value(scope, of);
  const operand: SqlExpression =
    filter === undefined
      ? given
      : { kind: "case", branches: [{ when: condition(scope, filter), value: given }], otherwise: undefined };
  return { kind: "aggregate", aggregate, operand, type, of: of === undefined ? type : typeOf(of).type };
}

/**
 * The order of a window, total where a row's place in it matters, so that every engine sees the rows alike. A rank
 * is the same for rows that the order does not tell apart.
 */
function windowOrder({ rows }: Scope, { call, orderBy, frame }: WindowNode): readonly OrderNode[] {
  if (rows === undefined || orderBy.length === 0 || call === "rank" || call === "denseRank") return orderBy;
  const isWhole = frame === undefined && !(["rowNumber", "lag", "lead", "firstValue"] as string[]).includes(call);
  return isWhole ? orderBy : totalOrder({ ...rows, orderBy });
}

/** A value of a row among others. */
function windowOf(scope: Scope, node: WindowNode): SqlExpression {
  const [of] = node.operands;
  return {
    kind: "window",
    call: node.call,
    operands: node.operands.map((part) => operand(scope, part)),
    partitionBy: node.partitionBy.map((part) => value(scope, part)),
    orderBy: windowOrder(scope, node).map((term) => sortTerm(scope, term)),
    frame: node.frame,
    type: node.type,
    of: of === undefined ? node.type : typeOf(of).type,
  };
}

/** SQL as it was written, in terms of the rows that are there. */
export const rawOf = (scope: Scope, { parts, between }: RawText): RawExpression => ({
  kind: "raw",
  parts,
  between: between.map((part) =>
    part.kind === "table"
      ? { kind: "table", schema: part.entity.schema, table: part.entity.table }
      : operand(scope, part),
  ),
});

/** A match with a text that is known, which an index may serve; undefined where the text is not known. */
function likeOf(scope: Scope, node: CallNode, negated: boolean): SqlExpression | undefined {
  const [left, right] = node.operands;
  if (!matchCalls.has(node.call) || left === undefined || right?.kind !== "value") return undefined;
  const like = { kind: "like", operand: value(scope, left), pattern: patternOf(node.call, right.value) } as const;
  if (!negated || !isNullable(scope, left)) return { ...like, negated };
  return { kind: "isTrue", item: { ...like, negated: false }, negated: true };
}

/** A value where its order matters; decimals are not compared alike by every engine as they are stored. */
function sortable(node: Node, item: SqlExpression): SqlExpression {
  const { type } = typeOf(node);
  return type.kind === "numeric" ? { kind: "sortable", item, type } : item;
}

/** One term of an order. */
export const sortTerm = (scope: Scope, { node, descending }: OrderNode): SortTerm => ({
  expression: sortable(node, value(scope, node)),
  descending,
  isNullable: isNullable(scope, node),
});

/** The rows of a source, with those of others beside them, narrowed and grouped, in a select of their own. */
export function placeRows(
  scope: Scope,
  { source, beside, where, groupBy, having }: Pick<StatementPlan, "source" | "beside" | "where" | "groupBy" | "having">,
): Place {
  const place = placeSource(scope, source);
  const { select } = place;
  scope.rows = { source, orderBy: [], joins: beside, groupBy };
  for (const { kind, source: other, on } of beside) {
    const alias = freeName(scope, other.entity.table);
    const table = sourceTable(scope, other.entity, alias);
    // What the condition follows from the joined rows is joined to them before they are joined themselves.
    const apart = draftFrom(table);
    const joined = placeIn(apart, other.entity, alias);
    scope.places.set(other, joined);
    const conditions = on === undefined ? [] : [condition(scope, on)];
    const nested: TableTerm = apart.joins.length === 0 ? table : { kind: "joined", table, joins: apart.joins, alias };
    select.joins.push({ kind, table: nested, on: conditions });
    joined.select = select;
    joined.isOptional = kind === "left";
  }
  select.where.push(...where.map((node) => condition(scope, node)));
  for (const node of groupBy ?? []) {
    const key = operand(scope, node);
    scope.keys.set(node, key);
    select.groupBy.push(key);
  }
  select.having.push(...having.map((node) => condition(scope, node)));
  return place;
}

/** What stands in a from clause for an entity: its table, or the query that its rows come from. */
function sourceTable(scope: Scope, entity: ResolvedEntity, alias: string): TableTerm {
  const { derivation } = entity;
  if (derivation === undefined) return tableOf(entity, alias);
  if (derivation.kind !== "query" && derivation.kind !== "compound") {
    nameTable(scope, entity, derivation);
    return { kind: "table", schema: undefined, table: derivation.name, alias };
  }
  return { kind: "derived", select: derivedRows(scope, entity, derivation), alias };
}

/** A query's select that knows nothing of the rows around it, its values under the names of an entity's columns. */
function selectApart(scope: Scope, entity: ResolvedEntity, query: QueryState): Select {
  const inner = newScope(scope.dialect, new Map(), scope.common);
  const nodes = fieldsOf(query.projection);
  return selectOf(
    inner,
    query,
    [...entity.columns].map(([path, { name }]) => [nodes.get(path) as Node, name] as const),
  );
}

function derivedRows(
  scope: Scope,
  entity: ResolvedEntity,
  derivation: Extract<Derivation, { kind: "query" | "compound" }>,
): Select | Compound {
  if (derivation.kind === "query") return selectApart(scope, entity, derivation.query);
  return {
    operator: derivation.operator,
    selects: derivation.queries.map((query) => uncut(entity, selectApart(scope, entity, query))),
  };
}

/** A cut select within a compound has to stand one level down. */
function uncut(entity: ResolvedEntity, select: Select): Select {
  if (select.limit === undefined && select.offset === undefined) return select;
  const outer = draftFrom({ kind: "derived", select, alias: "part" });
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
    const select = rawOf(newScope(scope.dialect, new Map(), scope.common), derivation.text);
    scope.common.set(derivation, { name: derivation.name, columns, select, isRecursive });
    return;
  }
  const parts = derivation.kind === "recursive" ? [derivation.seed, derivation.step] : [derivation.query];
  const selects = parts.map((query) => uncut(entity, selectApart(scope, entity, query)));
  const select = isRecursive ? ({ operator: "union", selects } as const) : (selects[0] as Select);
  scope.common.delete(derivation);
  scope.common.set(derivation, { name: derivation.name, columns, select, isRecursive });
}

/** The values that a projection gives, by the names that lead to them. */
export function fieldsOf(projection: Projection | undefined, path: readonly string[] = []): ReadonlyMap<string, Node> {
  if (projection?.kind === "value") return new Map([[path.join("."), projection.node]]);
  return projection?.kind === "object"
    ? new Map(projection.fields.flatMap(([name, part]) => [...fieldsOf(part, [...path, name])]))
    : new Map();
}

function placeSource(scope: Scope, source: Source): Place {
  const { entity } = source;
  const alias = freeName(scope, entity.table);
  const place = placeIn(draftFrom(sourceTable(scope, entity, alias)), entity, alias);
  scope.places.set(source, place);
  return place;
}

/** A query's select inside of another, which may refer to the rows around it. */
export function selectOf(
  scope: Scope,
  query: QueryState,
  items: readonly (readonly [Node, string | undefined])[],
): SelectDraft {
  const { joins, ...rest } = query;
  const outside = scope.rows;
  const { select } = placeRows(scope, { ...rest, beside: joins });
  select.items.push(...items.map(([node, alias]) => ({ expression: operand(scope, node), alias })));
  scope.rows = outside;
  if (isCut(query)) {
    Object.assign(select, { limit: query.limit, offset: query.offset });
    select.orderBy.push(...totalOrder(query).map((term) => sortTerm(scope, term)));
  }
  releaseNames(scope, select);
  return select;
}

/** The values of a query's rows, to find others among them: missing ones cannot be found, and would hide the rest. */
function selectOfValues(scope: Scope, query: QueryState): SelectDraft {
  const nodes = [...fieldsOf(query.projection).values()];
  const missing = nodes
    .filter((node) => typeOf(node).isNullable)
    .map((operand): Node => ({ kind: "not", item: { kind: "isNull", operand } }));
  const isInside = query.groupBy === undefined && !isCut(query);
  const narrowed = isInside ? { ...query, where: [...query.where, ...missing] } : query;
  const names = nodes.map((node, i) => [node, isInside ? undefined : `value_${i + 1}`] as const);
  const select = selectOf(scope, narrowed, names);
  if (isInside) return select;
  // An engine may refuse a limit here unless it is one level down.
  const alias = freeName(scope, "found");
  const outer = draftFrom({ kind: "derived", select, alias });
  nodes.forEach((node, i) => {
    const expression: SqlExpression = { kind: "column", table: alias, name: `value_${i + 1}` };
    outer.items.push({ expression, alias: undefined });
    if (typeOf(node).isNullable) outer.where.push({ kind: "isNull", operand: expression, negated: true });
  });
  releaseNames(scope, outer);
  return outer;
}

/** The keys of a query's rows, for a write to find them by: one level down, so that it may be of the same table. */
export function selectOfKeys(scope: Scope, query: QueryState, keys: readonly Node[]): SelectDraft {
  const names = keys.map((node, i) => [node, `key_${i + 1}`] as const);
  const select = selectOf(scope, query, names);
  const outer = draftFrom({ kind: "derived", select, alias: "chosen" });
  for (const [, name] of names)
    outer.items.push({ expression: { kind: "column", table: "chosen", name }, alias: undefined });
  return outer;
}

/** Whether a query has a row. */
function selectOfPresence(scope: Scope, query: QueryState): SelectDraft {
  const select = selectOf(scope, query, []);
  select.items.push({ expression: { kind: "constant", value: 1 }, alias: undefined });
  return select;
}

/** A select of a set's rows, correlated with its owner; `result` gives what is selected, in terms of its places. */
function relatedSelect(scope: Scope, set: SetNode, result: () => SqlExpression, alias?: string): SelectDraft {
  const { select, place } = selectOfSet(scope, set);
  restrictToOwner(scope, set, place);
  select.items.push({ expression: result(), alias });
  if (isCut(set)) {
    Object.assign(select, { limit: set.limit, offset: set.offset });
    select.orderBy.push(...totalOrder(set).map((term) => sortTerm(scope, term)));
  }
  releaseNames(scope, select);
  return select;
}

/** One value of all rows of a set; where it is cut, of those that the cut leaves. */
function aggregateSelect(scope: Scope, { set, aggregate, operand: of, type }: AggregateNode): SelectDraft {
  const made = (operand: SqlExpression): SqlExpression =>
    of === undefined ? { kind: "rowCount" } : { kind: "aggregate", aggregate, operand, type, of: typeOf(of).type };
  const row = (): SqlExpression => (of === undefined ? { kind: "constant", value: 1 } : value(scope, of));
  if (!isCut(set)) return relatedSelect(scope, set, () => made(row()));
  const alias = freeName(scope, "some");
  const select = draftFrom({ kind: "derived", select: relatedSelect(scope, set, row, "value"), alias });
  select.items.push({ expression: made({ kind: "column", table: alias, name: "value" }), alias: undefined });
  releaseNames(scope, select);
  return select;
}

/** How many rows a cut leaves, worked out of how many there are. */
function cutCount(scope: Scope, { set, aggregate, operand: of, type }: AggregateNode): SqlExpression {
  if (aggregate !== "count")
    throw new GemachError("ENGINE_UNABLE", {
      engine: scope.dialect.engine,
      what: `work out ${aggregate}() of a set that is cut`,
      instead: "List the set inside of select(), and work it out of what comes.",
    });
  const whole = { type, isNullable: false };
  const number = (value: number): Node => ({ kind: "value", value, type });
  const call = (name: CallName, ...operands: Node[]): Node => ({ kind: "call", call: name, operands, ...whole });
  const all: Node = {
    kind: "aggregate",
    aggregate,
    set: { ...set, limit: undefined, offset: undefined },
    operand: of,
    ...whole,
  };
  const { limit, offset } = set;
  const rest = offset === undefined ? all : call("greatest", call("minus", all, number(offset)), number(0));
  return value(scope, limit === undefined ? rest : call("least", rest, number(limit)));
}

/** A value of a set's first row. */
function firstSelect(scope: Scope, { set, operand: of }: FirstNode): SelectDraft {
  const limit = Math.min(set.limit ?? 1, 1);
  return relatedSelect(scope, { ...set, limit }, () => value(scope, of));
}

function selectOfSet(scope: Scope, set: SetNode): { select: SelectDraft; place: Place } {
  const { table } = set.source.entity;
  const alias = freeName(scope, table, set.step.name);
  const select = draftFrom(tableOf(set.source.entity, alias));
  const place = placeIn(select, set.source.entity, alias);
  addConditions(scope, set, place);
  return { select, place };
}

function addConditions(scope: Scope, set: SetNode, place: Place): void {
  scope.places.set(set.source, place);
  for (const node of set.where) place.select.where.push(condition(scope, node));
}

/**
 * Ties the rows at a place to the owner that the set starts from. Where each row of the set has one
 * row before it, that is a join; where it may have several, only their existence is asked for, so
 * that no row is there twice.
 */
function restrictToOwner(scope: Scope, set: SetNode, place: Place): void {
  const { select } = place;
  if (!("step" in set.from)) {
    select.where.unshift(...keysEqual(set.step, placeOf(scope, set.from), place));
    return;
  }
  const before = set.from;
  if (set.step.cardinality === "one") {
    const { select: inner, place: innerPlace } = selectOfSet(scope, before);
    inner.items.push({ expression: { kind: "constant", value: 1 }, alias: undefined });
    restrictToOwner(scope, before, innerPlace);
    inner.where.unshift(...keysEqual(set.step, innerPlace, place));
    releaseNames(scope, inner);
    select.where.push({ kind: "exists", select: inner, negated: false });
    return;
  }
  const { table } = before.source.entity;
  const alias = freeName(scope, table, before.step.name);
  const joined = placeIn(select, before.source.entity, alias);
  select.joins.push({
    kind: "inner",
    table: tableOf(before.source.entity, alias),
    on: keysEqual(set.step, joined, place),
  });
  addConditions(scope, before, joined);
  restrictToOwner(scope, before, joined);
}
