import type { ValueType } from "../../../columns/index.js";
import { GemachError } from "../../../errors/index.js";
import type { CallName } from "../../../ir/index.js";
import { selectOver } from "../../tree/select.js";
import type { Compound, Select, SortTerm, SqlExpression, Write } from "../../tree/tree.js";
import { hasSelect, someExpression } from "../../tree/walk.js";
import type { Rewrites } from "../dialect.js";
import { isBare, outsideOf } from "../rewrites.js";
import { mariadbText } from "./text.js";

type OfKind<K extends SqlExpression["kind"]> = Extract<SqlExpression, { readonly kind: K }>;

const unable = (what: string, instead: string): GemachError =>
  new GemachError("ENGINE_UNABLE", { engine: "MariaDB", what, instead });

/** An aggregate cannot say of which rows it is: a value of other rows is null, and does not count. */
function filtered(aggregate: OfKind<"aggregate">): SqlExpression {
  const { filter, operand } = aggregate;
  if (filter === undefined) return aggregate;
  const value = operand ?? ({ kind: "constant", value: 1 } as const);
  const some: SqlExpression = { kind: "case", branches: [{ when: filter, value }], otherwise: undefined };
  return { ...aggregate, operand: some, filter: undefined };
}

/**
 * A rank between 0 and 1 has ten digits where it stands beside other windows (10.11): it is worked out of whole
 * numbers.
 */
function windowed(window: OfKind<"window">): SqlExpression {
  if (window.call !== "percentRank") return uncrashed(window);
  const place: SqlExpression = { ...window, call: "rank", type: whole };
  const rows: SqlExpression = { ...window, call: "count", type: whole, orderBy: [] };
  return { kind: "raw", parts: ["coalesce((", " - 1) / nullif(", " - 1e0, 0), 0)"], between: [place, rows] };
}

/**
 * The server crashes (10.11) where a bare column of a derived table is also the second term of the window's order, and
 * one of the query's.
 */
function uncrashed(window: OfKind<"window">): SqlExpression {
  const isBareColumn = (operand: SqlExpression) => operand.kind === "column" && operand.isDerived === true;
  if (!window.operands.some(isBareColumn)) return window;
  const of = [{ type: window.of, isNullable: true }];
  const operands = window.operands.map((operand): SqlExpression => {
    if (!isBareColumn(operand)) return operand;
    return { kind: "call", call: "coalesce", operands: [operand], type: window.of, of };
  });
  return { ...window, operands };
}

const whole: ValueType = { kind: "integer" };

const number = (value: number): SqlExpression => ({
  kind: "parameter",
  parameter: { kind: "value", value, type: whole, isTyped: true },
});

const call = (name: CallName, ...operands: readonly SqlExpression[]): SqlExpression => ({
  kind: "call",
  call: name,
  operands,
  type: whole,
  of: operands.map(() => ({ type: whole, isNullable: false })),
});

const isLimited = ({ limit, offset }: Select): boolean => typeof limit === "number" || offset !== undefined;

/**
 * A derived table inside of a subquery cannot refer to the rows outside of both: how many rows a limit leaves is worked
 * out of how many there are.
 */
function counted(subquery: OfKind<"subquery">): SqlExpression {
  const { from, items } = subquery.select;
  if (from.kind !== "derived" || "operator" in from.select || !isLimited(from.select)) return subquery;
  const asked = items[0]?.expression;
  if (asked?.kind === "aggregate")
    throw unable(
      `work out ${asked.aggregate}() of a set with limit() or offset()`,
      "List the set inside of select(), and work it out of the rows that come.",
    );
  const { limit, offset } = from.select;
  const all = { ...from.select, orderBy: [], limit: undefined, offset: undefined };
  const count: SqlExpression = {
    kind: "subquery",
    select: { ...all, items: [{ expression: { kind: "rowCount" }, alias: undefined }] },
  };
  const rest = typeof offset === "number" ? call("greatest", call("minus", count, number(offset)), number(0)) : count;
  return typeof limit === "number" ? call("least", rest, number(limit)) : rest;
}

/** Whether a condition looks for a value that was worked out in a list. */
const hasWorkedOutList = (condition: SqlExpression): boolean =>
  someExpression(condition, (part) => {
    if (part.kind === "inList") return part.operand.kind !== "column";
    return part.kind === "inRows" && part.operands.some(({ kind }) => kind !== "column");
  });

/**
 * Rows of either side without the other: those of the left with what stands beside them, and those of the right with
 * nothing.
 */
function withoutFullJoin(select: Select): Select | Compound {
  const { from, joins, where } = select;
  const [operand, ...others] = joins;
  if (operand?.kind !== "full" || others.length > 0) return apart(select);
  const { table, on } = operand;
  const left: Select = { ...select, joins: [{ kind: "left", table, on }] };
  const matching: Select = { ...selectOver(from), items: [{ expression: one, alias: undefined }], where: on };
  const right: Select = {
    ...select,
    from: table,
    joins: [{ kind: "left", table: from, on: [{ kind: "constant", value: false }] }],
    where: [...where, { kind: "exists", select: matching, negated: true }],
  };
  return { operator: "union all", selects: [left, right] };
}

const one: SqlExpression = { kind: "constant", value: 1 };

/** A derived table that the server merges into the subquery around it has rows that are not in the list (10.11). */
const apart = (select: Select): Select =>
  select.limit === undefined && select.offset === undefined && select.where.some(hasWorkedOutList)
    ? { ...select, limit: "all" }
    : select;

/** A subquery of values cannot have a limit, unless one level down. */
function limitedDown(inSelect: OfKind<"inSelect">): SqlExpression {
  const { select } = inSelect;
  if (select.limit === undefined && select.offset === undefined) return inSelect;
  const names = select.items.map((_, i) => `value_${i + 1}`);
  const rows: Select = { ...select, items: select.items.map((item, i) => ({ ...item, alias: names[i] })) };
  const items = names.map((name) => ({
    expression: { kind: "column", table: "found", name } as const,
    alias: undefined,
  }));
  return { ...inSelect, select: { ...selectOver({ kind: "derived", select: rows, alias: "found" }), items } };
}

const saysNulls = ({ isNullable, nulls }: SortTerm): boolean => isNullable && nulls !== undefined;

/** An order cannot say where rows without a value come: they are sorted by whether they have one first. */
const ordered = (terms: readonly SortTerm[]): readonly SortTerm[] =>
  terms.flatMap((term) => {
    if (!saysNulls(term)) return [term];
    const isMissing: SqlExpression = { kind: "isNull", operand: term.expression, negated: false };
    const first: SortTerm = { expression: isMissing, descending: term.nulls === "first", isNullable: false };
    return [first, { ...term, nulls: undefined }];
  });

const compound = (given: Compound): Compound | Select =>
  isBare(given, mariadbText) && !(given.orderBy ?? []).some(saysNulls) ? given : outsideOf(given);

/** Whether a write finds its rows by keys that stand one level down already. */
function hasKeysDown([condition, ...others]: readonly SqlExpression[]): boolean {
  if (others.length > 0 || condition?.kind !== "inSelect") return false;
  const { from } = condition.select;
  return from.kind === "derived";
}

/** A write cannot look into the table that it writes, unless one level down: it finds its rows by their keys. */
function write(given: Write): Write {
  const { kind, where, found, returning, key, table } = given;
  if (kind === "update" && returning.length > 0)
    throw unable("give back the rows of an update", "List them in the same transaction.");
  if (found !== undefined) {
    const { select } = found;
    // Merged into the write, it would have rows that were changed already.
    return { ...given, found: { ...found, select: { ...select, limit: select.limit ?? "all" } } };
  }
  if (key.length === 0 || !where.some(hasSelect) || hasKeysDown(where)) return given;
  const own = { ...table, kind: "table", alias: table.table } as const;
  const column = (of: string, name: string): SqlExpression => ({ kind: "column", table: of, name });
  const keys: Select = {
    ...selectOver(own),
    items: key.map((name, i) => ({ expression: column(own.alias, name), alias: `key_${i + 1}` })),
    where,
  };
  const chosen: Select = {
    ...selectOver({ kind: "derived", select: keys, alias: "chosen" }),
    items: key.map((_, i) => ({ expression: column("chosen", `key_${i + 1}`), alias: undefined })),
  };
  const operands = key.map((name) => column(own.alias, name));
  return { ...given, where: [{ kind: "inSelect", operands, select: chosen, negated: false }] };
}

/** What MariaDB cannot say, or gets wrong. */
export const mariadbRewrites: Rewrites = {
  expression: { aggregate: filtered, window: windowed, subquery: counted, inSelect: limitedDown },
  derived: withoutFullJoin,
  order: ordered,
  compound,
  write,
};
