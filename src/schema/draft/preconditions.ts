import { type TableReference, tableKey } from "../../model/index.js";
import { type Dialect, qualifiedTable, type TableLayout } from "../../sql/index.js";
import { tableLabel } from "../compare/change.js";
import { typeForm } from "../compare/forms.js";
import type { Precondition } from "../migrations/migration.js";
import { speaksOf } from "../text/tokens.js";
import { namesBefore } from "./before.js";
import { familyOf, isWider } from "./conversion.js";
import { type Of, only, type Transition } from "./plan.js";

const sizesIn = (form: string): readonly number[] =>
  (/\(([\d,]+)\)/.exec(form)?.[1] ?? "").split(",").filter(Boolean).map(Number);

const wholeBounds: Readonly<Record<string, string>> = {
  tinyint: "-128 and 127",
  smallint: "-32768 and 32767",
  mediumint: "-8388608 and 8388607",
  int: "-2147483648 and 2147483647",
  integer: "-2147483648 and 2147483647",
};

/** The condition of texts of a form, as an engine writes it. */
const unlike: Readonly<Record<string, (name: string, pattern: string) => string>> = {
  postgres: (name, pattern) => `${name} !~ '${pattern}'`,
  mariadb: (name, pattern) => `${name} not regexp '${pattern}'`,
};

/** Which values of a column do not fit the type that it is to have; undefined where all do, or nobody can tell. */
function unfit(name: string, { column, to }: Of<"change column">, dialect: Dialect): string | undefined {
  const [before, after] = [typeForm(column.type, dialect.name), typeForm(to.type, dialect.name)];
  const [left, right] = [familyOf(before), familyOf(after)];
  if (isWider(before, after) || to.computed !== undefined) return undefined;
  if (dialect.name === "sqlite")
    return after === "integer" || after === "real" || after === "numeric"
      ? `cast(cast(${name} as numeric) as text) <> cast(${name} as text)`
      : undefined;
  const [size = 0, scale = 0] = sizesIn(after);
  if (right === "text")
    return size === 0 ? undefined : `char_length(${left === "text" ? name : `cast(${name} as char(200))`}) > ${size}`;
  const parts: string[] = [];
  if (left === "text") {
    const pattern =
      right === "whole"
        ? "^ *[-+]?[0-9]+ *$"
        : right === "number"
          ? "^ *[-+]?[0-9]*[.]?[0-9]+ *$"
          : right === "day"
            ? "^[0-9]{4}-[0-9]{2}-[0-9]{2}$"
            : right === "instant"
              ? "^[0-9]{4}-[0-9]{2}-[0-9]{2}[ T][0-9:.+Z-]+$"
              : undefined;
    return pattern === undefined ? undefined : unlike[dialect.name]?.(name, pattern);
  }
  if (right === "whole") {
    const bounds = wholeBounds[/^\w+/.exec(after)?.[0] ?? ""];
    if (left === "number") parts.push(`${name} <> round(${name})`);
    if (bounds !== undefined) parts.push(`${name} not between ${bounds}`);
  } else if (/^(?:numeric|decimal)/.test(after) && size > 0) {
    if (left === "number") parts.push(`${name} <> round(${name}, ${scale})`);
    parts.push(`abs(${name}) >= 1${"0".repeat(size - scale)}`);
  } else if (right === "day") parts.push(`${name} <> cast(${name} as date)`);
  return parts.length === 0 ? undefined : parts.join(" or ");
}

/** What must hold of the rows before changes are begun: queries that must find nothing. */
export function preconditionsOf({ found, changes }: Transition, dialect: Dialect): readonly Precondition[] {
  const { quote } = dialect.text;
  const before = namesBefore(changes, dialect);
  const tables = new Map(found.map((table) => [tableKey(table), table]));
  const created = new Set(only(changes, "create table").map(({ table }) => tableKey(table)));
  /** Columns of which nobody can say beforehand what they will hold. */
  const coming = (of: TableReference): ReadonlySet<string> =>
    new Set([
      ...added(of),
      ...only(changes, "change column")
        .filter(({ table, facts }) => tableKey(table) === tableKey(of) && facts.includes("type"))
        .map(({ to }) => to.name),
    ]);
  const added = (of: TableReference): ReadonlySet<string> =>
    new Set(
      only(changes, "add column")
        .filter(({ table }) => tableKey(table) === tableKey(of))
        .map(({ column }) => column.name),
    );
  const nameOf = (of: TableReference, column: string) => quote(before.column(of, column));
  const from = (of: TableReference) => qualifiedTable(before.table(of), dialect);
  /** Rows are told by their keys alone: what else they hold may be somebody's secret. */
  const keyOf = (of: TableReference, as = ""): string => {
    const { primaryKey } = tables.get(tableKey(of)) as TableLayout;
    if (primaryKey.columns.length === 0) return "'a row without a key' as found";
    return primaryKey.columns.map((column) => `${as}${nameOf(of, column)}`).join(", ");
  };
  const preconditions: Precondition[] = [];
  const must = (meaning: string, query: string): void => void preconditions.push({ meaning, query });
  const label = (of: TableReference, column: string) => `${tableLabel(before.table(of))}.${before.column(of, column)}`;
  const doubles = (of: TableReference, columns: readonly string[], condition: string | undefined): void => {
    // What is computed, or added without a value of its own, is nobody's before.
    if (!tables.has(tableKey(of)) || columns.some((column) => added(of).has(column))) return;
    const names = columns.map((column) => nameOf(of, column));
    const conditions = [
      ...names.map((name) => `${name} is not null`),
      ...(condition === undefined ? [] : [`(${before.text(of, condition)})`]),
    ];
    const { primaryKey } = tables.get(tableKey(of)) as TableLayout;
    const keys = primaryKey.columns.map((column) => `min(${nameOf(of, column)}), `).join("");
    must(
      `${tableLabel(before.table(of))}: (${columns.join(", ")}) is to be unique, and several rows have the same`,
      `select ${keys}count(*) as times from ${from(of)}\nwhere ${conditions.join(" and ")}\ngroup by ${names.join(", ")} having count(*) > 1`,
    );
  };
  for (const change of changes)
    switch (change.kind) {
      case "add column": {
        const { table, column } = change;
        if (column.isNullable || column.default !== undefined || column.isIdentity || column.computed !== undefined)
          break;
        must(
          `${tableLabel(before.table(table))}: rows that would have no value in the new column ${column.name}`,
          `select ${keyOf(table)} from ${from(table)}`,
        );
        break;
      }
      case "change column": {
        const { table, to, facts } = change;
        const name = nameOf(table, to.name);
        if (facts.includes("null") && !to.isNullable)
          must(
            `${label(table, to.name)}: null, where there must be a value`,
            `select ${keyOf(table)} from ${from(table)} where ${name} is null`,
          );
        const condition = facts.includes("type") ? unfit(name, change, dialect) : undefined;
        if (condition !== undefined)
          must(
            `${label(table, to.name)}: values that do not fit ${to.type}`,
            `select ${keyOf(table)} from ${from(table)} where ${condition}`,
          );
        break;
      }
      case "add primary key":
      case "add unique":
        doubles(change.table, change.key.columns, undefined);
        break;
      case "create index":
        if (change.index.isUnique)
          doubles(
            change.table,
            change.index.parts.map(({ column }) => column ?? ""),
            change.index.condition,
          );
        break;
      case "add check": {
        const { table, check } = change;
        if (speaksOf(check.text, coming(table), dialect.name)) break;
        must(
          `${tableLabel(before.table(table))}: rows that break the rule ${check.text}`,
          `select ${keyOf(table)} from ${from(table)} where not (${before.text(table, check.text)})`,
        );
        break;
      }
      case "add foreign key": {
        const { table, key } = change;
        const isComing = (of: TableReference, names: readonly string[]) =>
          names.some((column) => coming(of).has(column));
        if (isComing(table, key.columns) || isComing(key.target, key.targetColumns)) break;
        const names = key.columns.map((column) => nameOf(table, column));
        const present = names.map((name) => `held.${name} is not null`).join(" and ");
        const pairs = key.targetColumns
          .map((column, i) => `target.${nameOf(key.target, column)} = held.${names[i]}`)
          .join(" and ");
        const none = created.has(tableKey(key.target))
          ? ""
          : ` and not exists (select 1 from ${from(key.target)} as target where ${pairs})`;
        must(
          `${tableLabel(before.table(table))}: (${key.columns.join(", ")}) leads to no row of ${tableLabel(key.target)}`,
          `select ${keyOf(table, "held.")} from ${from(table)} as held\nwhere ${present}${none}`,
        );
        break;
      }
      default:
    }
  return preconditions;
}
