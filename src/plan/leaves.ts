import { type Node, partsOf, type SetNode, setIn } from "../ir/index.js";

/** Whether a node follows a to-one relation away from the source's own row, outside of subqueries. */
export function leavesRow(node: Node): boolean {
  if (node.kind === "column") return node.path.steps.length > 0;
  if (node.kind === "value") return false;
  if (node.kind === "compare") return leavesRow(node.left) || leavesRow(node.right);
  const set = setIn(node);
  return set === undefined ? partsOf(node).some(leavesRow) : ownerLeavesRow(set);
}

const ownerLeavesRow = (set: SetNode): boolean =>
  "step" in set.from ? ownerLeavesRow(set.from) : set.from.steps.length > 0;

/** Whether a node looks into rows of other tables, or of the same by another query. */
export const hasSubquery = (node: Node): boolean =>
  setIn(node) !== undefined || "query" in node || partsOf(node).some(hasSubquery);

/** Whether a node is of many rows at once. */
export const isOfRows = (node: Node): boolean =>
  node.kind === "group" || node.kind === "window" || partsOf(node).some(isOfRows);

/** Whether a node is of one row by itself: of nothing but its own columns. */
export const isOfOwnRow = (node: Node): boolean => !leavesRow(node) && !hasSubquery(node) && !isOfRows(node);
