import type { SetNode, Step } from "../../ir/index.js";
import { condition } from "../translate/expression.js";
import {
  addTable,
  columnOf,
  freeName,
  keysEqual,
  ownConditions,
  releaseNames,
  type Scope,
  type TableRef,
  tableOf,
} from "../translate/scope.js";
import { type SelectBuilder, selectOver } from "../tree/select.js";
import type { SqlExpression } from "../tree/tree.js";
/**
 * Ties the columns of a select that hold the owners' keys to the owners; what it gives says whose a row is.
 */
export type Tie = (select: SelectBuilder, keys: readonly SqlExpression[]) => readonly SqlExpression[];

/** Joins the rows before each step, from the last step back to the first, none of which multiplies rows. */
function joinBack(scope: Scope, table: TableRef, steps: readonly Step[], sets: readonly SetNode[]): TableRef {
  return steps.reduceRight((at, step, i) => {
    const { source } = step;
    const alias = freeName(scope, source.table, `${step.name}_${source.table}`);
    const before = addTable(table.select, source, alias);
    table.select.joins.push({
      kind: "inner",
      table: tableOf(source, alias),
      on: keysEqual(scope, step, before, at),
    });
    narrow(scope, before, sets[i]);
    return before;
  }, table);
}

/** The conditions of a set on its rows, which stand at a place. */
function narrow(scope: Scope, table: TableRef, set: SetNode | undefined): void {
  if (set === undefined) return;
  scope.tables.set(set.source, table);
  table.select.where.push(...set.where.map((node) => condition(scope, node)));
}

/** Whether a link's rows differ by what they link, so that none leads from one owner to a target twice. */
function isPairOnce([first, second]: readonly Step[]): boolean {
  if (first === undefined || second === undefined) return false;
  const linked = [...first.pairs.map((pair) => pair.to), ...second.pairs.map((pair) => pair.from)];
  const { key } = second.source;
  return key.length > 0 && key.every((column) => linked.includes(column));
}

/**
 * The last step that goes up to a row to which several rows of one owner may lead: those must be made
 * one. Undefined where each row is reached once.
 */
function lastMeeting(steps: readonly Step[]): number | undefined {
  const index = steps.findLastIndex((step, i) => {
    if (step.holder !== "source" || (i === 1 && isPairOnce(steps))) return false;
    return steps.slice(0, i).some((before) => before.cardinality === "many");
  });
  return index < 0 ? undefined : index;
}

/** The pairs of an owner and the row at which its ways meet, each once, joined to that row. */
function joinPairs(
  scope: Scope,
  met: TableRef,
  steps: readonly [Step, ...Step[]],
  meeting: number,
  sets: readonly SetNode[],
  tie: Tie,
): readonly SqlExpression[] {
  const [first] = steps;
  const step = steps[meeting] as Step;
  const { source } = step;
  const alias = freeName(scope, "link", "link_2");
  const innerAlias = freeName(scope, source.table);
  const before = addTable(selectOver(tableOf(source, innerAlias)), source, innerAlias);
  const { select } = before;
  narrow(scope, before, sets[meeting - 1]);
  const nearest = joinBack(scope, before, steps.slice(1, meeting), sets);
  select.isDistinct = true;
  select.where.push(...ownConditions(scope, first, nearest));
  const owners = tie(
    select,
    first.pairs.map((pair) => columnOf(nearest, pair.to)),
  );
  select.items.push(
    ...owners.map((expression, i) => ({ expression, alias: `owner_${i + 1}` })),
    ...step.pairs.map((pair, i) => ({ expression: columnOf(before, pair.from), alias: `target_${i + 1}` })),
  );
  releaseNames(scope, select);
  const named = (name: string): SqlExpression => ({ kind: "column", table: alias, name });
  const equations = step.pairs.map(
    (pair, i): SqlExpression => ({
      kind: "binary",
      operator: "=",
      left: named(`target_${i + 1}`),
      right: columnOf(met, pair.to),
    }),
  );
  met.select.joins.push({
    kind: "inner",
    table: { kind: "derived", select, alias },
    on: [...equations, ...ownConditions(scope, step, met)],
  });
  return owners.map((_, i) => named(`owner_${i + 1}`));
}

/**
 * Follows steps back from the rows at a place to the keys of their owners; no row comes twice for one owner. Gives what
 * says whose a row is, as the place's own select sees it. `sets`: what narrows the rows after each step but the last.
 */
export function ownersOf(
  scope: Scope,
  table: TableRef,
  steps: readonly [Step, ...Step[]],
  sets: readonly SetNode[] = [],
  tie: Tie = (_, keys) => keys,
): readonly SqlExpression[] {
  const meeting = lastMeeting(steps);
  if (meeting !== undefined) {
    const met = joinBack(scope, table, steps.slice(meeting + 1), sets.slice(meeting));
    return joinPairs(scope, met, steps, meeting, sets, tie);
  }
  const [first, ...others] = steps;
  const nearest = joinBack(scope, table, others, sets);
  table.select.where.push(...ownConditions(scope, first, nearest));
  return tie(
    table.select,
    first.pairs.map((pair) => columnOf(nearest, pair.to)),
  );
}
