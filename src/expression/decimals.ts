import { checked } from "../columns/index.js";
import { type Node, type Projection, typeOf, valueNode } from "../ir/index.js";

/** Of several decimals each gets as many digits after the point as the one with most has. */
export function atOneScale(nodes: readonly Node[]): readonly Node[] {
  const types = nodes.map((node) => typeOf(node).type);
  if (types[0]?.kind !== "numeric") return nodes;
  const scale = Math.max(...types.map((type) => type.scale ?? 0));
  const whole = Math.max(...types.map((type) => (type.precision ?? 1) - (type.scale ?? 0)));
  const type = { kind: "numeric", precision: Math.min(65, whole + scale), scale } as const;
  return nodes.map((node): Node => {
    const { type: own, isNullable } = typeOf(node);
    if (own.scale === scale) return node;
    if (node.kind === "value") return valueNode(checked(node.value, type, "a value"), type);
    return { kind: "call", call: "cast", operands: [node], type, isNullable };
  });
}

/** A projection with other expressions in place of some of its own. */
export function replaced(projection: Projection, by: ReadonlyMap<Node, Node>): Projection {
  switch (projection.kind) {
    case "value":
      return { ...projection, node: by.get(projection.node) ?? projection.node };
    case "object":
      return { ...projection, fields: projection.fields.map(([name, part]) => [name, replaced(part, by)] as const) };
    case "rows":
      return projection;
    default:
      return projection satisfies never;
  }
}
