import { selectOver } from "../tree/select.js";
import type { Compound, NestItem, Select, SortTerm, SqlExpression } from "../tree/tree.js";
import type { TextRules } from "./dialect.js";

const isSameColumn = (a: SqlExpression, b: SqlExpression): boolean =>
  a.kind === "column" && b.kind === "column" && a.table === b.table && a.name === b.name;

/**
 * Rows that are put together as JSON are limited in a derived table first, where the function that does it knows no
 * limit.
 */
export function limitBeforeNesting(select: Select): Select {
  const [item] = select.items;
  const nest = item?.expression;
  if (nest?.kind !== "nest" || (nest.limit === undefined && nest.offset === undefined)) return select;
  const alias = "some_rows";
  const named: { readonly name: string; readonly expression: SqlExpression }[] = [];
  /** A value that the derived table hands out, once, by the column's name where it is one. */
  const handOut = (expression: SqlExpression, fallback: string): SqlExpression => {
    const known = named.find((one) => isSameColumn(one.expression, expression));
    if (known !== undefined) return { kind: "column", table: alias, name: known.name };
    const isTaken = (name: string) => named.some((one) => one.name === name);
    let name = expression.kind === "column" && !isTaken(expression.name) ? expression.name : fallback;
    while (isTaken(name)) name += "_";
    named.push({ name, expression });
    return { kind: "column", table: alias, name };
  };
  const items = nest.items.map(
    ({ expression, type }, i): NestItem => ({ expression: handOut(expression, `value_${i + 1}`), type }),
  );
  const orderBy = nest.orderBy.map(
    (term, i): SortTerm => ({ ...term, expression: handOut(term.expression, `order_${i + 1}`) }),
  );
  const inner: Select = {
    ...select,
    items: named.map(({ name, expression }) => ({ expression, alias: name })),
    orderBy: nest.orderBy,
    limit: nest.limit,
    offset: nest.offset,
  };
  return {
    ...selectOver({ kind: "derived", select: inner, alias }),
    items: [{ expression: { ...nest, items, orderBy, limit: undefined, offset: undefined }, alias: undefined }],
  };
}

/** Several sets of keys by one select (SQL:1999, T431), in place of a select for each. */
export function groupedAtOnce(compound: Compound): Compound | Select {
  const { bySets, orderBy = [], limit, offset, common } = compound;
  if (bySets === undefined) return compound;
  return { ...bySets, orderBy, limit, offset, ...(common === undefined ? {} : { common }) };
}

/** Whether all values of a compound are sorted, and go over the wire, as they stand. */
export const isBare = ({ whole }: Compound, { read, sortable }: TextRules): boolean =>
  whole === undefined || whole.columns.every(({ type }) => read("x", type) === "x" && sortable("x", type) === "x");

/** A whole compound's rows by a select around it, whose values can be read and sorted in a form of their own. */
export function outsideOf(compound: Compound): Compound | Select {
  const { whole, orderBy = [], limit, offset, common, ...rest } = compound;
  if (whole === undefined) return compound;
  const { alias, columns } = whole;
  const all = columns.map(({ name, type }) => ({ column: { kind: "column", table: alias, name } as const, type }));
  const sorted = orderBy.map((term): SortTerm => {
    const { column, type } = all[(term.expression as { position: number }).position - 1] as (typeof all)[number];
    return { ...term, expression: type.kind === "numeric" ? { kind: "sortable", item: column, type } : column };
  });
  const select: Select = {
    ...selectOver({ kind: "derived", select: rest, alias }),
    items: all.map(({ column, type }) => ({ expression: column, alias: undefined, read: type })),
    orderBy: sorted,
    limit,
    offset,
  };
  return common === undefined ? select : { ...select, common };
}
