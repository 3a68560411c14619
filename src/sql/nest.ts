import { isCut, type NestedOutput, type Output } from "../plan/index.js";
import { draftFrom, freeName, releaseNames, type Scope } from "./scope.js";
import { relatedRows } from "./sets.js";
import type { NestItem, SelectItem, SortTerm, SqlExpression } from "./tree.js";

/** Gives an output's expression and the type of its values; nested rows have none. */
export type OutputExpression = (output: Output) => NestItem;

/**
 * The rows of a set as one JSON value of lists, made by the database: in order, and cut. Lists rather than objects,
 * as those repeat each name in each row.
 */
export function nestedRows(
  scope: Scope,
  { set, outputs }: NestedOutput,
  expressionOf: OutputExpression,
): SqlExpression {
  const terms = (): readonly SortTerm[] => set.orderBy.map((term) => scope.translate.sortTerm(scope, term));
  const { limit, offset } = set;
  if (!isCut(set) || scope.dialect.cutsNested) {
    const all = { ...set, limit: undefined, offset: undefined };
    const select = relatedRows(scope, all, () => {
      const items = outputs.map(expressionOf);
      return [{ expression: { kind: "nest", items, orderBy: terms(), limit, offset }, alias: undefined }];
    });
    return { kind: "subquery", select };
  }
  const alias = freeName(scope, "some");
  const named: { readonly name: string; readonly expression: SqlExpression }[] = [];
  /** A value that the derived table hands out, once, by the column's name where it is one. */
  const handOut = (expression: SqlExpression, wish: string): SqlExpression => {
    const known = named.find((one) => isSameColumn(one.expression, expression));
    if (known !== undefined) return { kind: "column", table: alias, name: known.name };
    const isTaken = (name: string) => named.some((one) => one.name === name);
    let name = expression.kind === "column" && !isTaken(expression.name) ? expression.name : wish;
    while (isTaken(name)) name += "_";
    named.push({ name, expression });
    return { kind: "column", table: alias, name };
  };
  const rows: { items: readonly NestItem[]; orderBy: readonly SortTerm[] } = { items: [], orderBy: [] };
  const inner = relatedRows(scope, set, (): readonly SelectItem[] => {
    rows.items = outputs
      .map(expressionOf)
      .map(({ expression, type }, i) => ({ expression: handOut(expression, `value_${i + 1}`), type }));
    rows.orderBy = terms().map((term, i) => ({ ...term, expression: handOut(term.expression, `order_${i + 1}`) }));
    return named.map(({ name, expression }) => ({ expression, alias: name }));
  });
  const outer = draftFrom({ kind: "derived", select: inner, alias });
  outer.items.push({ expression: { kind: "nest", ...rows, limit: undefined, offset: undefined }, alias: undefined });
  releaseNames(scope, outer);
  return { kind: "subquery", select: outer };
}

const isSameColumn = (a: SqlExpression, b: SqlExpression): boolean =>
  a.kind === "column" && b.kind === "column" && a.table === b.table && a.name === b.name;
