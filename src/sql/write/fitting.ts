import type { ValueType } from "../../columns/index.js";
import { type Node, type ResolvedColumn, typeOf } from "../../ir/index.js";
import type { Dialect } from "../dialects/dialect.js";
import type { SqlExpression } from "../tree/tree.js";

/** Whether values of a type are as they are in a column of another one: nothing of them is rounded or refused. */
const fits = (from: ValueType, to: ValueType): boolean => {
  if (to.kind === "numeric") {
    const [digits, scale] = [from.precision ?? 0, from.scale ?? 0];
    return (
      from.kind === "numeric" && scale <= (to.scale ?? 0) && digits - scale <= (to.precision ?? 0) - (to.scale ?? 0)
    );
  }
  if (to.kind === "varchar") return from.kind === "varchar" && (from.length ?? 0) <= (to.length ?? 0);
  if (to.kind === "bigint") return false;
  return from.kind === to.kind || (to.kind === "integer" && from.kind === "identity");
};

/** Whether what an expression is worked out to may be more than a column holds. */
function mayBeBeyond(node: Node, column: ResolvedColumn): boolean {
  switch (node.kind) {
    case "value":
      // It was checked, or is null.
      return false;
    case "hole":
      return !fits(node.type, column.type) && node.type.kind !== column.type.kind;
    case "case":
      return [
        ...node.branches.map(({ value }) => value),
        ...(node.otherwise === undefined ? [] : [node.otherwise]),
      ].some((one) => mayBeBeyond(one, column));
    case "column":
      return column.kind === "bigint" ? node.column.kind !== "bigint" : !fits(typeOf(node).type, column.type);
    default:
      return true;
  }
}

/**
 * What a column is given, as it holds it: an engine whose columns hold anything rounds it, or refuses it, as others do
 * by themselves.
 * @param value the expression of the node.
 */
export function fitting(
  column: ResolvedColumn,
  node: Node,
  value: SqlExpression,
  { writes: { asStored } }: Dialect,
): SqlExpression {
  if (asStored === undefined || column.isVersion || !mayBeBeyond(node, column)) return value;
  const around = asStored(column.type);
  return around === undefined ? value : { kind: "raw", parts: around, between: [value] };
}
