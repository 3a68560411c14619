import { type Node, type Path, partsOf } from "../../ir/index.js";

/** Adds the paths in an expression that is missing where the row at their end is. */
function addWhole(node: Node, found: Path[]): void {
  if (node.kind === "column") {
    if (node.path.steps.length > 0) found.push(node.path);
  } else if (node.kind === "call" && node.call !== "coalesce" && node.call !== "nullIf")
    for (const part of partsOf(node)) addWhole(part, found);
}

/** Adds the paths without whose row a condition is not true. */
function addNeeded(node: Node, found: Path[]): void {
  switch (node.kind) {
    case "logic":
      if (node.operator === "and") for (const item of node.items) addNeeded(item, found);
      break;
    case "compare":
      if (node.comparison === "unequal") break;
      addWhole(node.left, found);
      addWhole(node.right, found);
      break;
    case "oneOf":
      addWhole(node.operand, found);
      break;
    case "not":
      if (node.item.kind === "isNull") addWhole(node.item.operand, found);
      break;
    case "column":
    case "value":
    case "hole":
    case "isNull":
    case "call":
    case "case":
    case "aggregate":
    case "first":
    case "exists":
    case "group":
    case "window":
    case "raw":
    case "inRows":
    case "inQuery":
    case "existsQuery":
    case "firstQuery":
      break;
    default:
      node satisfies never;
  }
}

/**
 * Adds the paths at whose end there is a row wherever all conditions are true: nothing has to be joined from the left
 * for them.
 */
export function addPresent(where: readonly Node[], found: Path[]): void {
  for (const node of where) addNeeded(node, found);
}

/** Whether one of the paths begins with the first steps of another. */
export const begins = (present: readonly Path[], { source, steps }: Path, count: number): boolean =>
  present.some(
    (path) =>
      path.source === source &&
      path.steps.length >= count &&
      steps.slice(0, count).every((step, i) => step === path.steps[i]),
  );
