import { type AggregateNode, type FirstNode, heldKey, isLimited, type SetNode, typeOf } from "../../ir/index.js";
import { totalOrder } from "../../plan/index.js";
import { type SelectBuilder, selectOver } from "../tree/select.js";
import type { SelectItem, SortTerm, SqlExpression } from "../tree/tree.js";
import { addTable, freeName, keysEqual, placeOf, releaseNames, type Scope, type TableRef, tableOf } from "./scope.js";

/** A select of a set's rows, correlated with its owner; `result` gives what is selected, in terms of its places. */
export const relatedSelect = (scope: Scope, set: SetNode, result: () => SqlExpression, alias?: string): SelectBuilder =>
  relatedRows(scope, set, () => [{ expression: result(), alias }]);

/** A set's rows with several values of each. */
export function relatedRows(scope: Scope, set: SetNode, results: () => readonly SelectItem[]): SelectBuilder {
  const { select, place: table } = selectOfSet(scope, set);
  restrictToOwner(scope, set, table);
  select.items.push(...results());
  if (isLimited(set)) {
    Object.assign(select, { limit: set.limit, offset: set.offset });
    select.orderBy.push(...totalOrder(set).map((term) => scope.translate.sortTerm(scope, term)));
  }
  releaseNames(scope, select);
  return select;
}

/** One value of all rows of a set; where it is limited, of those that the limit leaves. */
export function aggregateSelect(
  scope: Scope,
  { set, aggregate, operand: of, type, details: said }: AggregateNode,
): SelectBuilder {
  const made = (operand: SqlExpression, orderBy: readonly SortTerm[]): SqlExpression =>
    of === undefined
      ? { kind: "rowCount" }
      : {
          ...{ kind: "aggregate", aggregate, operand, filter: undefined, type, of: typeOf(of).type },
          details: { ...said, orderBy },
        };
  const row = (): SqlExpression =>
    of === undefined ? { kind: "constant", value: 1 } : scope.translate.operand(scope, of);
  const terms = () => said.orderBy.map((term) => scope.translate.sortTerm(scope, term));
  if (!isLimited(set)) return relatedSelect(scope, set, () => made(row(), terms()));
  const alias = freeName(scope, "some");
  const orderBy: SortTerm[] = [];
  const rows = relatedRows(scope, set, () => [
    { expression: row(), alias: "value" },
    ...terms().map((term, i) => {
      const name = `order_${i + 1}`;
      orderBy.push({ ...term, expression: { kind: "column", table: alias, name } });
      return { expression: term.expression, alias: name };
    }),
  ]);
  const select = selectOver({ kind: "derived", select: rows, alias });
  select.items.push({ expression: made({ kind: "column", table: alias, name: "value" }, orderBy), alias: undefined });
  releaseNames(scope, select);
  return select;
}

/** A value of a set's first row. */
export function firstSelect(scope: Scope, { set, operand: of }: FirstNode): SelectBuilder {
  const limit = Math.min(set.limit ?? 1, 1);
  const select = relatedSelect(scope, { ...set, limit }, () => scope.translate.operand(scope, of));
  if (limit === 1) select.limit = "one";
  return select;
}

function selectOfSet(scope: Scope, set: SetNode): { select: SelectBuilder; place: TableRef } {
  const { table } = set.source.entity;
  const alias = freeName(scope, table, set.step.name);
  const select = selectOver(tableOf(set.source.entity, alias));
  const tableRef = addTable(select, set.source.entity, alias);
  addConditions(scope, set, tableRef);
  return { select, place: tableRef };
}

function addConditions(scope: Scope, set: SetNode, table: TableRef): void {
  scope.tables.set(set.source, table);
  for (const node of set.where) table.select.where.push(scope.translate.condition(scope, node));
}

/**
 * Ties the rows at a place to the owner that the set starts from. Where each row of the set has one
 * row before it, that is a join; where it may have several, only their existence is asked for, so
 * that no row is there twice.
 */
function restrictToOwner(scope: Scope, set: SetNode, tableRef: TableRef): void {
  const { select } = tableRef;
  if (!("step" in set.from)) {
    const path = set.from;
    // Where the keys are at hand before the end of the path, nothing is joined for them.
    const held = set.step.pairs.map(({ from }) => heldKey(path, from));
    const [first] = held;
    if (first === undefined || held.includes(undefined)) {
      select.where.unshift(...keysEqual(scope, set.step, placeOf(scope, path), tableRef));
      return;
    }
    const pairs = set.step.pairs.map((pair, i) => ({ ...pair, from: (held[i] as typeof first).column }));
    select.where.unshift(...keysEqual(scope, { ...set.step, pairs }, placeOf(scope, first.path), tableRef));
    return;
  }
  const before = set.from;
  if (set.step.cardinality === "one") {
    const { select: inner, place: innerPlace } = selectOfSet(scope, before);
    inner.items.push({ expression: { kind: "constant", value: 1 }, alias: undefined });
    restrictToOwner(scope, before, innerPlace);
    inner.where.unshift(...keysEqual(scope, set.step, innerPlace, tableRef));
    releaseNames(scope, inner);
    select.where.push({ kind: "exists", select: inner, negated: false });
    return;
  }
  const { table } = before.source.entity;
  const alias = freeName(scope, table, before.step.name);
  const joined = addTable(select, before.source.entity, alias);
  select.joins.push({
    kind: "inner",
    table: tableOf(before.source.entity, alias),
    on: keysEqual(scope, set.step, joined, tableRef),
  });
  addConditions(scope, before, joined);
  restrictToOwner(scope, before, joined);
}
