import type { CallNode, Node } from "../../ir/index.js";
import type { SqlExpression } from "../tree/tree.js";

/** Numbers of which formulas are made: so few that texts stay few where they stand in them. */
const ofFormulas: ReadonlySet<string> = new Set([...Array.from({ length: 13 }, (_, n) => String(n)), "100", "1000"]);

/** Whether a number of a call may stand in the text. */
export const isOfFormula = (node: Node): node is Extract<Node, { readonly kind: "value" }> =>
  node.kind === "value" &&
  ["integer", "bigint", "numeric"].includes(node.type.kind) &&
  node.type.stored === undefined &&
  ofFormulas.has(String(node.value));

/**
 * Such a number of a call in the text, as a person writes it: an engine that knows it while it plans works out less for
 * each row, and knows what is written twice again. A call of nothing but numbers keeps its parameters: what it comes to
 * may be a number by itself, which stands for a column in an order.
 */
export const formulaNumber = (node: Node, { operands }: CallNode): SqlExpression | undefined =>
  isOfFormula(node) && operands.some(({ kind }) => kind !== "value")
    ? { kind: "literal", value: node.value, type: node.type }
    : undefined;
