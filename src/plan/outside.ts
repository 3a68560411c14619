import { type Node, type Projection, partsOf, type SetNode, type Source, setIn } from "../ir/index.js";

/** Whether an expression is of rows beside those of the given sources. */
function isOutside(node: Node, own: ReadonlySet<Source>): boolean {
  if (node.kind === "column") return !own.has(node.path.source);
  if ("operand" in node && node.operand !== undefined && setIn(node) === undefined && isOutside(node.operand, own))
    return true;
  const set = setIn(node);
  if (set !== undefined) {
    const inside = new Set([...own, set.source]);
    const operand = "operand" in node ? node.operand : undefined;
    return isSetOutside(set, own) || (operand !== undefined && isOutside(operand, inside));
  }
  // A query inside of it may be tied to any row around it.
  if ("query" in node) return true;
  return partsOf(node).some((part) => isOutside(part, own));
}

/** The rows outside of a set: where it starts, and what narrows and sorts it. */
function isSetOutside({ from, source, where, orderBy }: SetNode, own: ReadonlySet<Source>): boolean {
  const inside = new Set([...own, source]);
  const isFromOutside = "step" in from ? isSetOutside(from, own) : !own.has(from.source);
  return isFromOutside || [...where, ...orderBy.map(({ node }) => node)].some((node) => isOutside(node, inside));
}

function isProjectionOutside(projection: Projection, own: ReadonlySet<Source>): boolean {
  switch (projection.kind) {
    case "value":
      return isOutside(projection.node, own);
    case "object":
      return projection.fields.some(([, part]) => isProjectionOutside(part, own));
    case "rows": {
      const { set } = projection;
      return isSetOutside(set, own) || isProjectionOutside(projection.projection, new Set([...own, set.source]));
    }
    default:
      return projection satisfies never;
  }
}

/** Whether rows of a set, or what is listed of them, depend on rows around the set other than by its relation. */
export const dependsOnOwner = (set: SetNode, projection: Projection): boolean => {
  const own = new Set([set.source]);
  const chain: SetNode[] = [];
  for (let at: SetNode | undefined = set; at !== undefined; at = "step" in at.from ? at.from : undefined)
    chain.push(at);
  const isTied = chain.some(({ source, where, orderBy }) =>
    [...where, ...orderBy.map(({ node }) => node)].some((node) => isOutside(node, new Set([source]))),
  );
  return isTied || isProjectionOutside(projection, own);
};
