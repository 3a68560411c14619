import type { NestedOutput, Output } from "../../plan/index.js";
import type { Scope } from "../translate/scope.js";
import { relatedRows } from "../translate/sets.js";
import type { NestItem, SqlExpression } from "../tree/tree.js";

/** Gives an output's expression and the type of its values; nested rows have none. */
export type OutputExpression = (output: Output) => NestItem;

/**
 * The rows of a set as one JSON value of lists, made by the database: in order, and limited. Lists rather than objects,
 * as those repeat each name in each row.
 */
export function nestedRows(
  scope: Scope,
  { set, outputs }: NestedOutput,
  expressionOf: OutputExpression,
): SqlExpression {
  const { limit, offset } = set;
  const select = relatedRows(scope, { ...set, limit: undefined, offset: undefined }, () => {
    const items = outputs.map(expressionOf);
    const orderBy = set.orderBy.map((term) => scope.translate.sortTerm(scope, term));
    return [{ expression: { kind: "nest", items, orderBy, limit, offset }, alias: undefined }];
  });
  return { kind: "subquery", select };
}
