import type { Node } from "../../ir/index.js";
import type { SqlExpression } from "../tree/tree.js";
import type { Scope } from "./scope.js";

type HoleNode = Extract<Node, { kind: "hole" }>;
type ValueNode = Extract<Node, { kind: "value" }>;

/** A template's parameter. */
export const holeOf = (scope: Scope, node: HoleNode, isTyped: boolean): SqlExpression => {
  const known = isTyped ? scope.typedValues : scope.values;
  const there = known.get(node);
  if (there !== undefined) return there;
  const { hole, type } = node;
  const made = { kind: "parameter", parameter: { kind: "hole", hole, type, isTyped, isList: false } } as const;
  known.set(node, made);
  return made;
};

/** A value's parameter, the same one wherever the value stands. */
export function parameterOf(known: Scope["values"], node: ValueNode, isTyped: boolean): SqlExpression {
  if (node.isConstant) return { kind: "literal", value: node.value, type: node.type };
  const there = known.get(node);
  if (there !== undefined) return there;
  const { value: given, type } = node;
  const made = { kind: "parameter", parameter: { kind: "value", value: given, type, isTyped } } as const;
  known.set(node, made);
  return made;
}
