import type { Derivation, Step } from "../../ir/index.js";
import type { StatementPlan } from "../../plan/index.js";
import { addTable, columnOf, ownConditions, type Scope, tableOf } from "../translate/scope.js";
import { selectOver } from "../tree/select.js";
import type { SqlExpression } from "../tree/tree.js";
import { keysTerm } from "./per-owner.js";

/**
 * That keys are among those which the statement gets, or those of the rows that a step leads to from there, over and
 * over.
 */
export function inClosure(
  scope: Scope,
  plan: StatementPlan,
  step: Step,
  keys: readonly SqlExpression[],
): SqlExpression {
  const name = "reached";
  const of: Derivation = { kind: "raw", name, text: { parts: [], between: [] } };
  const names = step.pairs.map((_, i) => `key_${i + 1}`);
  const column = (table: string, i: number): SqlExpression => ({ kind: "column", table, name: names[i] as string });

  const begin = selectOver(keysTerm(plan, "owner"));
  begin.items.push(...names.map((_, i) => ({ expression: column("owner", i), alias: undefined })));

  const [alias, before] = ["further", "before"];
  const next = addTable(selectOver(tableOf(step.target, alias)), step.target, alias);
  next.select.items.push(...step.pairs.map(({ from }) => ({ expression: columnOf(next, from), alias: undefined })));
  next.select.joins.push({
    kind: "inner",
    table: { kind: "common", of, alias: before },
    on: step.pairs.map(({ to }, i) => ({
      kind: "binary",
      operator: "=",
      left: columnOf(next, to),
      right: column(before, i),
    })),
  });
  next.select.where.push(...ownConditions(scope, step, next));
  const select = { operator: "union", selects: [begin, next.select] } as const;
  scope.common.set(of, { of, name, columns: names, select, isRecursive: true });

  const all = selectOver({ kind: "common", of, alias: before });
  all.items.push(...names.map((_, i) => ({ expression: column(before, i), alias: undefined })));
  return { kind: "inSelect", operands: keys, select: all, negated: false };
}
