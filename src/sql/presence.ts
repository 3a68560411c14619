import { type Node, type Path, partsOf } from "../expression/index.js";

/** Paths without whose row a condition is not true. */
function neededBy(node: Node): readonly Path[] {
  switch (node.kind) {
    case "logic":
      return node.operator === "and" ? node.items.flatMap(neededBy) : [];
    case "compare":
      return node.comparison === "unequal" ? [] : [...wholeIn(node.left), ...wholeIn(node.right)];
    case "oneOf":
      return wholeIn(node.operand);
    case "not":
      return node.item.kind === "isNull" ? wholeIn(node.item.operand) : [];
    case "column":
      return wholeIn(node);
    default:
      return [];
  }
}

/** Paths in an expression that is missing where the row at their end is. */
function wholeIn(node: Node): readonly Path[] {
  if (node.kind === "column") return node.path.steps.length === 0 ? [] : [node.path];
  const isTotal = node.kind === "call" && node.call !== "coalesce" && node.call !== "nullIf";
  return isTotal ? partsOf(node).flatMap(wholeIn) : [];
}

/** Paths at whose end there is a row wherever all conditions are true: nothing has to be joined from the left for them. */
export const presentPaths = (where: readonly Node[]): readonly Path[] => where.flatMap(neededBy);

/** Whether one of the paths begins with the first steps of another. */
export const begins = (present: readonly Path[], { source, steps }: Path, count: number): boolean =>
  present.some(
    (path) =>
      path.source === source &&
      path.steps.length >= count &&
      steps.slice(0, count).every((step, i) => step === path.steps[i]),
  );
