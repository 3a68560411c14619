import { selectOver } from "../../tree/select.js";
import type { Select, SqlExpression } from "../../tree/tree.js";
import { someExpression } from "../../tree/walk.js";
import type { Rewrites } from "../dialect.js";
import { isBare, limitBeforeNesting, outsideOf } from "../rewrites.js";
import { sqliteText } from "./text.js";
import {
  aggregateByUnits,
  callByUnits,
  canonicalByUnits,
  comparedByUnits,
  groupedByUnits,
  sortableByUnits,
  windowByUnits,
} from "./units.js";

type OfKind<K extends SqlExpression["kind"]> = Extract<SqlExpression, { readonly kind: K }>;

/** A derived table in descending order and limited, grouped by what it is sorted by, stays in that order (3.53). */
function sortGroups(select: Select): Select {
  const { from, groupBy, orderBy } = select;
  if (groupBy.length === 0 || orderBy.length === 0 || (from.kind !== "derived" && from.kind !== "common"))
    return select;
  return {
    ...select,
    orderBy: orderBy.map((term) => ({
      ...term,
      expression: { kind: "raw", parts: ["+", ""], between: [term.expression] },
    })),
  };
}

/** Up to so many values of a list stand by themselves. */
const mostListed = 64;

/**
 * Beside an `or` a list in one parameter keeps the engine from its index (3.53: 135 times as long in one case): short
 * ones stand by themselves.
 */
function listed(logic: OfKind<"logic">): SqlExpression {
  if (logic.operator !== "or") return logic;
  const inside = (item: SqlExpression): SqlExpression => {
    if (item.kind === "logic") return { ...item, items: item.items.map(inside) };
    const isShort = item.kind === "inList" && !("hole" in item.values) && item.values.length <= mostListed;
    return isShort ? { ...item, isListed: true } : item;
  };
  return inside(logic);
}

/** A subquery of several rows would give the first of them: a function that the driver adds refuses others. */
function only(subquery: OfKind<"subquery">): SqlExpression {
  const { select, isOnly } = subquery;
  const [item] = select.items;
  if (isOnly !== true || item === undefined) return subquery;
  const of = (value: SqlExpression): SqlExpression => ({ kind: "raw", parts: ["gemach_only(", ")"], between: [value] });
  const isBare =
    select.groupBy.length + select.orderBy.length === 0 && select.limit === undefined && !select.isDistinct;
  if (isBare && select.offset === undefined && !someExpression(item.expression, ({ kind }) => kind === "window"))
    return { kind: "subquery", select: { ...select, items: [{ ...item, expression: of(item.expression) }] } };
  const rows: Select = { ...select, items: [{ ...item, alias: "value" }] };
  const value: SqlExpression = { kind: "column", table: "found", name: "value" };
  const outer: Select = {
    ...selectOver({ kind: "derived", select: rows, alias: "found" }),
    items: [{ expression: of(value), alias: undefined }],
  };
  return { kind: "subquery", select: outer };
}

/**
 * What is worked out of a series would be worked out again wherever it stands, were its query made part of the one
 * around it.
 */
function workedOutOnce(select: Select): Select {
  const { from, limit, items } = select;
  const isWorkedOut = from.kind === "series" && items.some(({ expression }) => expression.kind !== "column");
  return isWorkedOut && limit === undefined ? { ...select, limit: "all" } : select;
}

/** What SQLite cannot say, or gets wrong. */
export const sqliteRewrites: Rewrites = {
  expression: {
    logic: listed,
    subquery: only,
    call: callByUnits,
    aggregate: aggregateByUnits,
    window: windowByUnits,
    canonical: canonicalByUnits,
    sortable: sortableByUnits,
    binary: comparedByUnits,
  },
  select: (given) => {
    const select = sortGroups(limitBeforeNesting(given));
    return select.groupBy.length === 0 ? select : { ...select, groupBy: select.groupBy.map(groupedByUnits) };
  },
  derived: workedOutOnce,
  compound: (compound) => (isBare(compound, sqliteText) ? compound : outsideOf(compound)),
};
