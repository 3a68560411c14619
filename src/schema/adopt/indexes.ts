import { factsKey, kinds } from "../../columns/index.js";
import type { Dialect, IndexLayout, TableLayout } from "../../sql/index.js";
import { isForeign } from "../compare/forms.js";
import { expressionForm, nameForm } from "../text/expression-form.js";
import type { ColumnCode } from "./code.js";
import { defaultIn } from "./defaults.js";

/** A column of an entity in the making. */
export interface AdoptedColumn {
  readonly property: string;
  readonly column: string;
  readonly code: ColumnCode;
  readonly comment: string | undefined;
}

/** An index in the words of a model. */
export interface AdoptedIndex {
  readonly on: readonly string[];
  readonly unique?: true;
  readonly when?: Readonly<Record<string, unknown>>;
}

/** An index in the words of a model; undefined where it has none for it. */
function indexIn(
  index: IndexLayout,
  properties: ReadonlyMap<string, string>,
  columns: ReadonlyMap<string, AdoptedColumn>,
  dialect: Dialect,
): AdoptedIndex | undefined {
  if (isForeign(index, dialect.name)) return undefined;
  const on = index.parts.map(({ column, descending }) => `${properties.get(column ?? "")}${descending ? " desc" : ""}`);
  if (
    index.parts.some(
      ({ column }) =>
        columns.get(column ?? "") === undefined ||
        !kinds[(columns.get(column ?? "") as AdoptedColumn).code.column[factsKey].type.kind].isIndexable,
    )
  )
    return undefined;
  const base = { on, ...(index.isUnique ? ({ unique: true } as const) : {}) };
  if (index.condition === undefined) return base;
  const when: Record<string, unknown> = {};
  const form = expressionForm(index.condition, dialect.name);
  const parts = form.startsWith("and(") ? form.slice(4, -1).split(/, (?=is\(|=\()/) : [form];
  for (const part of parts) {
    const match = /^(?:is|=)\(("(?:[^"]|"")*"), (null|true|false|-?[\d.]+|'[^']*')\)$/.exec(part);
    const column = match === null ? undefined : [...columns.values()].find((one) => nameForm(one.column) === match[1]);
    const value = match?.[2] as string;
    if (column === undefined) return undefined;
    const given = value === "null" ? null : defaultIn(value, column.code.column);
    if (given === undefined || (given !== null && typeof given === "object")) return undefined;
    when[column.property] = given;
  }
  return { ...base, when };
}

/** Whether an index is the one that a model gives each key of another table. */
const isOfKey = ({ parts, isUnique, condition, own }: IndexLayout, { foreignKeys }: TableLayout): boolean =>
  !isUnique &&
  condition === undefined &&
  own === undefined &&
  foreignKeys.some(
    ({ columns }) =>
      columns.length === parts.length &&
      parts.every(({ column, descending }, i) => column === columns[i] && !descending),
  );

/** The one column of which an index keeps the values apart, in all rows. */
function singleColumn(index: IndexLayout, dialect: Dialect): string | undefined {
  const [part, ...others] = index.parts;
  const isWhole = index.isUnique && others.length === 0 && index.condition === undefined && part?.descending === false;
  return isWhole && !isForeign(index, dialect.name) ? part.column : undefined;
}

/** Columns no two rows of which have the same value. */
export const uniqueColumns = ({ uniques, indexes }: TableLayout, dialect: Dialect): ReadonlySet<string> =>
  new Set(
    [
      ...uniques.map(({ columns }) => (columns.length === 1 ? columns[0] : undefined)),
      ...indexes.map((index) => singleColumn(index, dialect)),
    ].filter((name) => name !== undefined),
  );

/** The indexes of a table in the words of a model, and what is left to the database. */
export function indexesIn(
  table: TableLayout,
  columns: readonly AdoptedColumn[],
  dialect: Dialect,
): { readonly indexes: readonly AdoptedIndex[]; readonly remarks: readonly string[] } {
  const byColumn = new Map(columns.map((one) => [one.column, one]));
  const properties = new Map(columns.map(({ column, property }) => [column, property]));
  const indexes: AdoptedIndex[] = [];
  const remarks: string[] = [];
  for (const key of table.uniques)
    if (key.columns.length > 1)
      indexes.push({ on: key.columns.map((name) => properties.get(name) as string), unique: true });
  for (const index of table.indexes) {
    const single = singleColumn(index, dialect);
    if (single !== undefined && byColumn.get(single)?.code.text.includes(".unique") === true) continue;
    if (isOfKey(index, table)) continue;
    const said = indexIn(index, properties, byColumn, dialect);
    if (said !== undefined) indexes.push(said);
    else
      remarks.push(
        `its index ${index.name} is left to the database: ${index.own ?? index.method ?? "its columns are of kinds without an order"}`,
      );
  }
  return { indexes, remarks };
}
