import { isLimited, type OrderNode, typeOf } from "../../ir/index.js";
import { type JoinedSource, leavesRow, type Output, type StatementPlan } from "../../plan/index.js";
import type { Dialect, OwnerForm } from "../dialects/dialect.js";
import { condition, operand, sortTerm, startScope } from "../translate/expression.js";
import { sourceOfGrouped } from "../translate/grouped-sets.js";
import { addRows, presenceOf, wholeCompound } from "../translate/queries.js";
import {
  addTable,
  columnOf,
  commonOf,
  freeName,
  keysEqual,
  placeOf,
  releaseNames,
  type Scope,
  type TableRef,
  tableOf,
} from "../translate/scope.js";
import { selectOver } from "../tree/select.js";
import type { Compound, NestItem, Select, SortTerm, SqlExpression } from "../tree/tree.js";
import { inClosure } from "./closure.js";
import { addedName, limitPerOwner, orderOutside } from "./limits.js";
import { nestedRows } from "./nest.js";
import { ownersOf } from "./owners.js";
import { keysTerm, type OrderedPlace, ownerFormOf, placePerOwner, positionOf } from "./per-owner.js";

/** Ties the rows to the owners whose keys the statement gets. */
function tieToOwners(scope: Scope, table: TableRef, plan: StatementPlan): readonly SqlExpression[] {
  const [first, ...others] = plan.ownerSteps;
  if (first === undefined) return [];
  return ownersOf(scope, table, [first, ...others], plan.ownerSets, (select, keys) => {
    if (plan.closure !== undefined) {
      select.where.push(inClosure(scope, plan, plan.closure, keys));
      return keys;
    }
    if (!plan.byPosition) {
      select.where.unshift({ kind: "inKeys", operands: keys, types: first.pairs.map(({ to }) => to.type) });
      return keys;
    }
    const alias = freeName(scope, "owner");
    const on = keys.map(
      (left, i): SqlExpression => ({
        kind: "binary",
        operator: "=",
        left,
        right: { kind: "column", table: alias, name: `key_${i + 1}` },
      }),
    );
    select.joins.push({ kind: "inner", table: keysTerm(plan, alias), on });
    return positionOf(plan, alias);
  });
}

/** Hands out expressions of a derived table under names that none of its columns has. */
const handOut = (
  outer: TableRef,
  inner: TableRef,
  expressions: readonly SqlExpression[],
  name: string,
): readonly SqlExpression[] =>
  expressions.map((expression, i) => {
    const alias = addedName(inner, inner.entity.columns.values(), `${name}_${i + 1}`);
    inner.select.items.push({ expression, alias });
    return { kind: "column", table: outer.alias, name: alias };
  });

/**
 * The statement's own rows: straight from the table, or from a derived table where they must be limited before more is
 * done.
 */
function placeRoot(scope: Scope, plan: StatementPlan, form: OwnerForm | undefined): OrderedPlace {
  const { source, limit, offset } = plan;
  const { entity } = source;
  if (form !== undefined) {
    return placePerOwner(scope, plan, form, (outer, inner) => reopen(scope, source, outer, inner));
  }
  const table = addRows(scope, plan, plan.ownerSteps.length > 0);
  const { select, alias } = table;
  const owners = tieToOwners(scope, table, plan);
  select.lock = plan.lock;
  const innerOrder = plan.orderBy.map((term) => sortTerm(scope, term));
  const isCounted = plan.outputs.some((given) => given.kind === "rowCount");
  if (
    plan.limitPerOwner === undefined &&
    !(isLimited(plan) && (plan.joined.length > 0 || isCounted)) &&
    !(isCounted && plan.groupBy !== undefined)
  ) {
    Object.assign(select, { limit, offset });
    return { place: table, order: innerOrder, owners };
  }
  const outer = addTable(selectOver({ kind: "derived", select, alias }), entity, alias, table);
  const order = orderOutside(scope, outer, table, plan.orderBy);
  let outerOwners = owners;
  if (plan.limitPerOwner !== undefined) {
    if (plan.ownerSteps.length > 1 || plan.byPosition) outerOwners = handOut(outer, table, owners, "owner");
    outer.select.where.push(...limitPerOwner(outer, table, owners, innerOrder, plan.limitPerOwner));
  } else {
    Object.assign(select, { limit, offset });
    select.orderBy.push(...innerOrder);
  }
  if (isCounted) select.items.push({ expression: presenceOf(plan), alias: "present" });
  reopen(scope, plan.source, outer, table);
  return { place: outer, order, owners: outerOwners };
}

/** From here on the source means the rows of the derived table, and names used inside of it are free again. */
function reopen(scope: Scope, source: StatementPlan["source"], outer: TableRef, inner: TableRef): void {
  releaseNames(scope, inner.select);
  scope.names.add(outer.alias);
  scope.tables.set(source, outer);
}

/**
 * The order of joined rows. Where an owner has none, all of their columns are null in its one row,
 * so that only a column's own nulls need a place in the order.
 */
const joinedOrder = (scope: Scope, orderBy: readonly OrderNode[]): readonly SortTerm[] =>
  orderBy.map((term) => {
    const { node } = term;
    const isOwn = node.kind === "column" && node.path.steps.length === 0;
    return isOwn ? { ...sortTerm(scope, term), isNullable: node.column.isNullable } : sortTerm(scope, term);
  });

/** Joins a to-many relation, from a derived table where its way, its conditions or its limits need one. */
function joinRows(scope: Scope, joined: JoinedSource): readonly SortTerm[] {
  const { source, relation, where, orderBy } = joined;
  const owner = placeOf(scope, joined.from);
  const alias = freeName(scope, relation.name, `${owner.alias}_${relation.name}`);
  const [step, ...others] = relation.steps;
  if (others.length === 0 && !isLimited(joined) && !where.some(leavesRow)) {
    const table = addTable(owner.select, relation.target, alias);
    scope.tables.set(source, table);
    const on = [...keysEqual(scope, step, owner, table), ...where.map((node) => condition(scope, node))];
    owner.select.joins.push({ kind: "left", table: tableOf(relation.target, alias), on });
    table.isOptional = true;
    return joinedOrder(scope, orderBy);
  }
  const inner = addTable(selectOver(tableOf(relation.target, alias)), relation.target, alias);
  scope.tables.set(source, inner);
  const columns = ownersOf(scope, inner, relation.steps);
  inner.select.where.push(...where.map((node) => condition(scope, node)));
  const table = addTable(owner.select, relation.target, alias, inner, true);
  const ownerKeys =
    others.length === 0 ? step.pairs.map((pair) => columnOf(table, pair.to)) : handOut(table, inner, columns, "owner");
  const on = step.pairs.map(
    (pair, i): SqlExpression => ({
      kind: "binary",
      operator: "=",
      left: ownerKeys[i] as SqlExpression,
      right: columnOf(owner, pair.from),
    }),
  );
  const order = orderOutside(scope, table, inner, orderBy);
  if (isLimited(joined)) {
    const innerOrder = orderBy.map((term) => sortTerm(scope, term));
    on.push(...limitPerOwner(table, inner, columns, innerOrder, joined));
  }
  owner.select.joins.push({ kind: "left", table: { kind: "derived", select: inner.select, alias }, on });
  reopen(scope, source, table, inner);
  return order;
}

function output(scope: Scope, plan: StatementPlan, given: Output, owners: readonly SqlExpression[]): NestItem {
  switch (given.kind) {
    case "rowCount":
      return { expression: { kind: "rowCount" }, type: undefined };
    case "presence":
      return { expression: presenceOf(plan), type: undefined };
    case "owner":
      return { expression: owners[given.part] as SqlExpression, type: given.type };
    case "nested":
      return { expression: nestedRows(scope, given, (inner) => output(scope, plan, inner, [])), type: undefined };
    default:
      return { expression: operand(scope, given), type: typeOf(given).type };
  }
}

/** The select that a statement's plan asks for. */
export function translate(plan: StatementPlan, dialect: Dialect): Select | Compound {
  const scope = startScope(plan.bound, plan.isTrusting, plan.lifted);
  const compound = wholeCompound(scope, plan);
  if (compound !== undefined) return { ...compound, common: commonOf(scope) };
  scope.grouped.source = sourceOfGrouped(plan, dialect);
  const root = placeRoot(scope, plan, ownerFormOf(plan, dialect));
  const { select } = root.place;
  const order = [...root.order, ...plan.joined.flatMap((joined) => joinRows(scope, joined))];
  for (const given of plan.outputs) {
    const { expression, type } = output(scope, plan, given, root.owners);
    select.items.push({ expression, alias: undefined, read: type });
  }
  select.orderBy.push(...order);
  select.common = commonOf(scope);
  return select;
}
