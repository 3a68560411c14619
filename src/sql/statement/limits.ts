import type { OrderNode } from "../../ir/index.js";
import type { Limits } from "../../plan/index.js";
import { sortTerm } from "../translate/expression.js";
import { columnOf, type Scope, type TableRef } from "../translate/scope.js";
import type { SortTerm, SqlExpression } from "../tree/tree.js";

/** A name for a column that a derived table adds to those it takes from its table. */
export function addedName(table: TableRef, columns: Iterable<{ readonly name: string }>, preferred: string): string {
  const taken = new Set([...columns].map((column) => column.name));
  for (const { alias } of table.select.items) if (alias !== undefined) taken.add(alias);
  let name = preferred;
  while (taken.has(name)) name += "_";
  return name;
}

/** How to say outside of a derived table the order that holds inside. */
export function orderOutside(
  scope: Scope,
  outer: TableRef,
  inner: TableRef,
  orderBy: readonly OrderNode[],
): readonly SortTerm[] {
  return orderBy.map((term, i) => {
    const { node } = term;
    const sorted = sortTerm(scope, term);
    if (node.kind === "column" && node.path.steps.length === 0) {
      const column = columnOf(outer, node.column);
      const { expression } = sorted;
      return { ...sorted, expression: expression.kind === "sortable" ? { ...expression, item: column } : column };
    }
    const alias = addedName(inner, inner.entity.columns.values(), `order_${i + 1}`);
    inner.select.items.push({ expression: sorted.expression, alias });
    return { ...sorted, expression: { kind: "column", table: outer.alias, name: alias } };
  });
}

const rowNumber = (partitionBy: readonly SqlExpression[], orderBy: readonly SortTerm[]): SqlExpression => ({
  kind: "window",
  call: "rowNumber",
  operands: [],
  partitionBy,
  orderBy,
  frame: undefined,
  type: { kind: "integer" },
  of: { kind: "integer" },
});

const bound = (position: number): SqlExpression => ({
  kind: "parameter",
  parameter: { kind: "value", value: position, type: { kind: "integer" } },
});

/** Numbers the rows of each owner inside a derived table, and gives the conditions that limit them outside of it. */
export function limitPerOwner(
  outer: TableRef,
  inner: TableRef,
  partitionBy: readonly SqlExpression[],
  orderBy: readonly SortTerm[],
  { limit, offset }: Limits,
): readonly SqlExpression[] {
  const alias = addedName(inner, inner.entity.columns.values(), "position");
  inner.select.items.push({ expression: rowNumber(partitionBy, orderBy), alias });
  const position: SqlExpression = { kind: "column", table: outer.alias, name: alias };
  const conditions: SqlExpression[] = [];
  if (offset !== undefined) conditions.push({ kind: "binary", operator: ">", left: position, right: bound(offset) });
  if (limit !== undefined)
    conditions.push({ kind: "binary", operator: "<=", left: position, right: bound((offset ?? 0) + limit) });
  return conditions;
}
