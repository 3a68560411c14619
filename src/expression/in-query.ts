import { comparedKind } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { labelOf, type Node, type Projection, type QueryState, renewed, typeOf } from "../ir/index.js";
import { atOneScale, replaced } from "./decimals.js";

const valuesOf = (projection: Projection | undefined): readonly Node[] | undefined => {
  if (projection === undefined) return undefined;
  if (projection.kind === "value") return [projection.node];
  return projection.kind === "object" ? projection.fields.flatMap(([, part]) => valuesOf(part) ?? []) : undefined;
};

/**
 * Whether values are those of a row of a query.
 * @throws GemachError `VALUE_UNFIT` where the query gives others.
 */
export function inQuery(operands: readonly Node[], query: QueryState): Node {
  const given = valuesOf(query.projection) ?? [];
  const kinds = (nodes: readonly Node[]) => nodes.map((node) => comparedKind(typeOf(node).type.kind)).join(", ");
  if (kinds(given) !== kinds(operands))
    throw new GemachError("VALUE_UNFIT", {
      column: operands.map(labelOf).join(", "),
      expected: `a query of ${kinds(operands)}`,
      got: given.length === 0 ? "one without a projection" : `one of ${kinds(given)}`,
    });
  const places = operands.map((operand, i) => atOneScale([operand, given[i] as Node]));
  const own = new Map(given.map((node, i) => [node, places[i]?.[1] as Node]));
  const projection = query.projection === undefined ? undefined : replaced(query.projection, own);
  return {
    kind: "inQuery",
    operands: places.map(([operand]) => operand as Node),
    query: renewed({ ...query, projection }).query,
  };
}
