import { GemachError } from "../errors/index.js";
import {
  type AggregateNode,
  type CallName,
  type CallNode,
  type Comparison,
  type FirstNode,
  matchCalls,
  type Node,
  type OrderNode,
  type SetNode,
  typeOf,
} from "../expression/index.js";
import { isCut, totalOrder } from "../plan/index.js";
import { patternOf } from "./calls.js";
import { isExact } from "./dialect.js";
import {
  columnOf,
  draftFrom,
  freeName,
  keysEqual,
  type Place,
  placeIn,
  placeOf,
  releaseNames,
  type Scope,
  type SelectDraft,
  tableOf,
} from "./scope.js";
import type { Operator, SortTerm, SqlExpression } from "./tree.js";

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

/** Whether an expression may give no value where it stands, be it for want of the whole row. */
function isNullable(scope: Scope, node: Node): boolean {
  if (typeOf(node).isNullable) return true;
  if (node.kind === "column") return placeOf(scope, node.path).isOptional;
  return node.kind === "call" && node.operands.some((operand) => isNullable(scope, operand));
}

/** Two missing values are neither equal nor distinct in SQL; here they are unequal, as a missing value is to any other. */
function comparison(scope: Scope, node: Extract<Node, { kind: "compare" }>, negated: boolean): SqlExpression {
  const isOrdered = node.comparison !== "equal" && node.comparison !== "unequal";
  const needsOrder = isOrdered || (node.left.kind !== "value" && node.right.kind !== "value");
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
    case "case":
    case "first":
    case "aggregate": {
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
      return matchCalls.has(node.call) && isNullable(scope, node);
    default:
      return false;
  }
}

/** An expression where its value matters: in a projection, an order, a comparison. */
export function value(scope: Scope, node: Node): SqlExpression {
  switch (node.kind) {
    case "column":
      return columnOf(placeOf(scope, node.path), node.column);
    case "value":
      return { kind: "parameter", parameter: { kind: "value", value: node.value, type: node.type } };
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

/** A value inside of a call: nothing beside it says its type. */
function operand(scope: Scope, node: Node): SqlExpression {
  if (node.kind !== "value") return value(scope, node);
  const { value: given, type } = node;
  return { kind: "parameter", parameter: { kind: "value", value: given, type, isTyped: true } };
}

const callOf = (scope: Scope, { call, operands, type }: CallNode): SqlExpression => ({
  kind: "call",
  call,
  operands: operands.map((part) => operand(scope, part)),
  type,
  of: operands.map(typeOf),
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
