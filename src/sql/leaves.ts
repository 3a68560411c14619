import { type Node, partsOf, type SetNode, setIn } from "../expression/index.js";

/** Whether a node follows a to-one relation away from the source's own row, outside of subqueries. */
export function leavesRow(node: Node): boolean {
  if (node.kind === "column") return node.path.steps.length > 0;
  const set = setIn(node);
  return set === undefined ? partsOf(node).some(leavesRow) : ownerLeavesRow(set);
}

const ownerLeavesRow = (set: SetNode): boolean =>
  "step" in set.from ? ownerLeavesRow(set.from) : set.from.steps.length > 0;
