import type { Scalar } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { evaluateCall } from "./calls.js";
import { compareValues, comparisons } from "./comparisons.js";
import { partsOf, typeOf } from "./node.js";
import type { OwnNodeKind } from "./own-kinds.js";
import type { Node, ResolvedColumn } from "./resolved.js";

/** Gives the value of a row's column. */
export type ReadColumn = (column: ResolvedColumn) => Scalar;

/** What no rule of a row by itself may have in it: the model refuses it. */
type BeyondRow = Exclude<Node, { kind: OwnNodeKind }>;

function beyondRow(node: BeyondRow): never {
  throw new GemachError("RULE_BEYOND_ROW", { entity: "an entity", name: node.kind });
}

/** What an expression of a row's own columns gives. */
export function evaluate(node: Node, read: ReadColumn): Scalar {
  switch (node.kind) {
    case "column":
      return read(node.column);
    case "value":
      return node.value;
    case "raw":
      // Only the database knows; a rule that has such a part is not looked at here.
      return null;
    case "call": {
      const values = node.operands.map((operand) => evaluate(operand, read));
      const types = node.operands.map((operand) => typeOf(operand).type);
      return evaluateCall(node.call, values, node.type, types);
    }
    case "case": {
      const branch = node.branches.find(({ when }) => isTrue(when, read, false));
      const chosen = branch?.value ?? node.otherwise;
      return chosen === undefined ? null : evaluate(chosen, read);
    }
    case "compare":
    case "isNull":
    case "oneOf":
    case "logic":
    case "not":
      return isTrue(node, read, false);
    default:
      return beyondRow(node);
  }
}

/**
 * Whether a predicate is true of a row. `unknown`: what a comparison with a missing value counts as,
 * negated or not.
 */
function isTrue(node: Node, read: ReadColumn, unknown: boolean, isNegated = false): boolean {
  switch (node.kind) {
    case "compare": {
      const [left, right] = [evaluate(node.left, read), evaluate(node.right, read)];
      if (left === null || right === null) return unknown || (node.comparison === "unequal") !== isNegated;
      return comparisons[node.comparison].holds(compareValues(left, right, typeOf(node.left).type)) !== isNegated;
    }
    case "oneOf": {
      const value = evaluate(node.operand, read);
      const { type } = typeOf(node.operand);
      if (value === null) return unknown || isNegated;
      return (node.values as readonly Scalar[]).some((other) => compareValues(value, other, type) === 0) !== isNegated;
    }
    case "logic": {
      const isAll = (node.operator === "and") !== isNegated;
      const test = (item: Node) => isTrue(item, read, unknown, isNegated);
      return isAll ? node.items.every(test) : node.items.some(test);
    }
    case "not":
      return isTrue(node.item, read, unknown, !isNegated);
    case "raw":
      return unknown;
    case "isNull":
      return (evaluate(node.operand, read) === null) !== isNegated;
    case "column":
    case "value":
    case "call":
    case "case": {
      const value = evaluate(node, read);
      return value === null ? unknown || isNegated : (value === true) !== isNegated;
    }
    default:
      return beyondRow(node);
  }
}

/** Whether a row keeps a rule: as in SQL, all rows do for which it is not false, so that a missing value keeps it. */
export const keepsRule = (node: Node, read: ReadColumn): boolean => isTrue(node, read, true);

/** The columns that an expression is made of. */
export const columnsIn = (node: Node): readonly ResolvedColumn[] =>
  node.kind === "column" ? [node.column] : partsOf(node).flatMap(columnsIn);
