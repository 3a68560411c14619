import { comparedKind, kinds } from "../../columns/index.js";
import {
  type CallNode,
  type Comparison,
  comparisons,
  type GroupNode,
  isMatch,
  isSameColumn,
  type MatchCall,
  type Node,
  type OrderNode,
  type Path,
  type Source,
  typeOf,
  type WindowNode,
} from "../../ir/index.js";
import { totalOrder } from "../../plan/index.js";
import { patterns } from "../print/calls.js";
import type { Operator, SortTerm, SqlExpression } from "../tree/tree.js";
import { formulaNumber } from "./formula-number.js";
import { groupedAggregate } from "./grouped-sets.js";
import { holeOf, parameterOf } from "./parameters.js";
import { rawOf, selectOfFirst, selectOfOnly, selectOfPresence, selectOfValues } from "./queries.js";
import { columnAround, newScope, placeOf, type Scope, type Translator } from "./scope.js";
import { aggregateSelect, firstSelect, relatedSelect } from "./sets.js";

const operators: Record<Comparison, Operator> = {
  equal: "=",
  unequal: "<>",
  below: "<",
  above: ">",
  atMost: "<=",
  atLeast: ">=",
};

/** Whether an expression may give no value where it stands, be it for want of the whole row. */
function isNullable(scope: Scope, node: Node): boolean {
  if (typeOf(node).isNullable) return true;
  if (node.kind === "column") return placeOf(scope, node.path).isOptional;
  return node.kind === "call" && node.operands.some((operand) => isNullable(scope, operand));
}

/**
 * Two missing values are neither equal nor distinct in SQL; here they are unequal, as a missing value is to any other.
 */
function comparison(scope: Scope, node: Extract<Node, { kind: "compare" }>, negated: boolean): SqlExpression {
  const { isOrdered } = comparisons[node.comparison];
  const isGiven = ({ kind }: Node) => kind === "value" || kind === "hole";
  const needsOrder = isOrdered || !(isGiven(node.left) || isGiven(node.right));
  const side = (own: Node, other: Node): SqlExpression => {
    // Digits beside a column are of its type; beside anything else an engine may read them as a double, and two values
    // beside each other as texts.
    const isTyped = other.kind !== "column" && (isGiven(other) || kinds[typeOf(own).type.kind].isExact);
    const item = isTyped ? operand(scope, own) : value(scope, own);
    return needsOrder ? sortable(own, item) : item;
  };
  const isAlike = typeOf(node.left).type.stored === typeOf(node.right).type.stored;
  const plain = (own: Node, item: SqlExpression) => (isAlike ? item : asText(scope, own, item));
  const left = plain(node.left, side(node.left, node.right));
  const right = plain(node.right, side(node.right, node.left));
  const missing = [node.left, node.right].filter((operand) => isNullable(scope, operand)).length;
  const [positive, isOpposite] =
    node.comparison === "unequal" ? (["equal", !negated] as const) : [node.comparison, negated];
  const equation: SqlExpression = { kind: "binary", operator: operators[positive], left, right };
  if (!isOpposite) return equation;
  if (missing === 0) return { ...equation, operator: operators[comparisons[positive].opposite] };
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
      // Nothing beside it says what type a value has.
      return { kind: "isNull", operand: operand(scope, node.operand), negated };
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
    case "raw":
    case "firstQuery": {
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
      return isMatch(node.call) && node.operands.some((part) => isNullable(scope, part));
    case "inRows":
    case "inQuery":
      return node.operands.some((part) => isNullable(scope, part));
    case "isNull":
    case "exists":
    case "existsQuery":
    case "column":
    case "value":
    case "hole":
    case "case":
    case "aggregate":
    case "first":
    case "group":
    case "window":
    case "raw":
    case "firstQuery":
      return false;
    default:
      return node satisfies never;
  }
}

/** What rows are grouped by, as it was translated, where an expression is that: the same node, or the same column. */
function keyFor({ keys }: Scope, node: Node): SqlExpression | undefined {
  if (keys.size === 0) return undefined;
  const known = keys.get(node);
  if (known !== undefined || node.kind !== "column") return known;
  for (const [key, expression] of keys) if (isSameColumn(key, node)) return expression;
  return undefined;
}

/** An expression where its value matters: in a projection, an order, a comparison. */
export function value(scope: Scope, node: Node): SqlExpression {
  const key = keyFor(scope, node);
  if (key !== undefined) return key;
  switch (node.kind) {
    case "column":
      return columnAround(scope, placeOf(scope, node.path), node.column);
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
      return isMatch(node.call) ? truth(scope, node) : callOf(scope, node);
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
      return groupedAggregate(scope, node) ?? { kind: "subquery", select: aggregateSelect(scope, node) };
    case "first":
      return { kind: "subquery", select: firstSelect(scope, node) };
    case "firstQuery":
      return node.isOnly
        ? { kind: "subquery", select: selectOfOnly(scope, node.query), isOnly: node.query.groupBy?.length !== 0 }
        : { kind: "subquery", select: selectOfFirst(scope, node.query) };
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
  const key = keyFor(scope, node);
  if (key !== undefined) return key;
  if (node.kind === "hole") return holeOf(scope, node, true);
  return node.kind === "value" ? parameterOf(scope.typedValues, node, true) : value(scope, node);
}

/**
 * A text that is stored in a type of the engine's own as a plain one, where what is done with it is not known of that
 * type.
 */
function asText(scope: Scope, node: Node, item: SqlExpression): SqlExpression {
  const { type, isNullable } = typeOf(node);
  const text = { kind: "text" } as const;
  if (type.stored === undefined || comparedKind(type.kind) !== "text") return item;
  if (node.kind === "value" || node.kind === "hole") return operand(scope, { ...node, type: text });
  return { kind: "call", call: "cast", operands: [item], type: text, of: [{ type, isNullable }] };
}

const callOf = (scope: Scope, node: CallNode): SqlExpression => {
  const { call, operands, type } = node;
  const given = operands.map((part) => {
    const item = formulaNumber(part, node) ?? operand(scope, part);
    return call === "cast" || typeOf(part).type.stored === type.stored ? item : asText(scope, part, item);
  });
  return { kind: "call", call, operands: given, type, of: operands.map(typeOf) };
};

/**
 * What values are sorted by; by themselves as the very same expression: an engine that leaves out equal ones wants
 * that.
 */
export const termsOf = (
  scope: Scope,
  orderBy: readonly OrderNode[],
  of: Node | undefined,
  given: SqlExpression | undefined,
): readonly SortTerm[] =>
  orderBy.map((term) => {
    const made = sortTerm(scope, term);
    return term.node === of && given !== undefined && made.expression.kind !== "sortable"
      ? { ...made, expression: given }
      : made;
  });

/** One value of a group's rows, or of those for which a condition is true. */
function groupAggregate(
  scope: Scope,
  { aggregate, operand: of, filter, type, details: said }: GroupNode,
): SqlExpression {
  if (of === undefined && filter === undefined) return { kind: "rowCount" };
  const types = { type, of: of === undefined ? type : typeOf(of).type };
  const given: SqlExpression | undefined = of === undefined ? undefined : operand(scope, of);
  const when = filter === undefined ? undefined : condition(scope, filter);
  const details = { ...said, orderBy: termsOf(scope, said.orderBy, of, given) };
  return { kind: "aggregate", aggregate, operand: given, filter: when, details, ...types };
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
    partitionBy: node.partitionBy.map((part) => canonical(part, value(scope, part))),
    orderBy: windowOrder(scope, node).map((term) => sortTerm(scope, term)),
    frame: node.frame,
    type: node.type,
    of: of === undefined ? node.type : typeOf(of).type,
  };
}

/** A match with a text that is known before rows are read, which an index may serve; undefined where it is not. */
function likeOf(scope: Scope, node: CallNode, negated: boolean): SqlExpression | undefined {
  const [left, right] = node.operands;
  const patternOf = isMatch(node.call) ? patterns[node.call] : undefined;
  if (patternOf === undefined || left === undefined) return undefined;
  if (right?.kind !== "value" && right?.kind !== "hole") return undefined;
  const text = asText(scope, left, value(scope, left));
  const pattern = right.kind === "value" ? patternOf(right.value) : { call: node.call as MatchCall, hole: right.hole };
  const like = { kind: "like", operand: text, pattern } as const;
  if (!negated || !isNullable(scope, left)) return { ...like, negated };
  return { kind: "isTrue", item: { ...like, negated: false }, negated: true };
}

/** A value where its order matters; decimals are not compared alike by every engine as they are stored. */
function sortable(node: Node, item: SqlExpression): SqlExpression {
  const { type } = typeOf(node);
  return type.kind === "numeric" ? { kind: "sortable", item, type } : item;
}

/** A value where it is told from others by whether they are equal: of a group, of a union. */
export function canonical(node: Node, item: SqlExpression): SqlExpression {
  const { type } = typeOf(node);
  return type.kind === "numeric" && node.kind === "column" ? { kind: "canonical", item, type } : item;
}

/** One term of an order. */
export const sortTerm = (scope: Scope, { node, descending, nulls }: OrderNode): SortTerm => ({
  expression: sortable(node, value(scope, node)),
  descending,
  isNullable: isNullable(scope, node),
  nulls,
});

/** What turns nodes into expressions of SQL. */
const translator: Translator = { condition, value, operand, canonical, sortTerm };

/** A scope for a statement. */
export const startScope = (
  bound?: ReadonlyMap<Source, Path>,
  isTrusting?: boolean,
  lifted?: readonly string[],
): Scope => newScope(translator, bound, undefined, isTrusting, lifted);
