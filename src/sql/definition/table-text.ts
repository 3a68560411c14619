import type { TableReference } from "../../model/index.js";
import type { Dialect } from "../dialects/dialect.js";
import { qualifiedTable } from "../print/printer.js";
import {
  type CheckLayout,
  type ColumnLayout,
  type ForeignKeyLayout,
  type IndexLayout,
  refuseUnknown,
  type TableLayout,
} from "./layout.js";
import type { TableRules } from "./table-rules.js";

const listed = (columns: readonly string[], { text }: Dialect): string => columns.map(text.quote).join(", ");

/** What needs no parentheses as a default. */
const plainDefault = /^(?:-?[\d.]+|'(?:[^'\\]|'')*'|null|true|false|current_timestamp)$/i;

/** Whether a text stands in parentheses as a whole; those of its literals are never the first sign of it. */
export function isEnclosed(text: string): boolean {
  if (!text.startsWith("(") || !text.endsWith(")")) return false;
  let depth = 0;
  for (let i = 0; i < text.length - 1; i++) {
    if (text[i] === "(") depth++;
    if (text[i] === ")" && --depth === 0) return false;
  }
  return true;
}

/** An expression where it stands as a default. */
export const defaultText = (defaultValue: string): string =>
  plainDefault.test(defaultValue) || isEnclosed(defaultValue) ? defaultValue : `(${defaultValue})`;

/**
 * A column in the definition of a table, or where it is added to one, without what holds of it together with others.
 */
export function columnText(column: ColumnLayout, rules: TableRules, dialect: Dialect): string {
  const { type, collation, computed, default: defaultValue, isNullable, otherClauses } = column;
  const name = dialect.text.quote(column.name);
  if (column.isIdentity) return `${name} ${rules.identity(type)}`;
  return [
    `${name} ${type}`,
    collation === undefined ? "" : ` collate ${dialect.text.quote(collation)}`,
    computed === undefined ? "" : ` generated always as (${computed.text}) ${computed.isStored ? "stored" : "virtual"}`,
    isNullable || computed !== undefined ? "" : " not null",
    defaultValue === undefined ? "" : ` default ${defaultText(defaultValue)}`,
    otherClauses === undefined ? "" : ` ${otherClauses}`,
  ].join("");
}

const constraintText = (name: string | undefined, { text }: Dialect): string =>
  name === undefined ? "" : `constraint ${text.quote(name)} `;

/** A foreign key in the definition of a table, or where it is added to one. */
export function foreignKeyText(key: ForeignKeyLayout, rules: TableRules, dialect: Dialect): string {
  const { target, onDelete, onUpdate, otherClauses } = key;
  const name = rules.isByItself ? dialect.text.quote(target.table) : qualifiedTable(target, dialect);
  const actions = [
    onDelete === "no action" ? "" : ` on delete ${onDelete}`,
    onUpdate === "no action" ? "" : ` on update ${onUpdate}`,
    otherClauses === undefined ? "" : ` ${otherClauses}`,
  ];
  return `${constraintText(key.name, dialect)}foreign key (${listed(key.columns, dialect)}) references ${name} (${listed(key.targetColumns, dialect)})${actions.join("")}`;
}

/** A rule of each row. */
export const checkText = ({ name, text }: CheckLayout, dialect: Dialect): string =>
  `${constraintText(name, dialect)}check (${text})`;

/** Columns that are one by one. */
export const uniqueText = (name: string | undefined, columns: readonly string[], dialect: Dialect): string =>
  `${constraintText(name, dialect)}unique (${listed(columns, dialect)})`;

/** The statement that creates a table, with the foreign keys given. `otherwise`: what it says of one that is there. */
export function tableText(
  table: TableLayout,
  foreignKeys: readonly ForeignKeyLayout[],
  rules: TableRules,
  dialect: Dialect,
  otherwise: "" | "if not exists " = "",
): string {
  refuseUnknown(table);
  const { primaryKey, uniques, checks } = table;
  const [key, ...others] = primaryKey.columns;
  const isInline = others.length === 0 && table.columns.some(({ name, isIdentity }) => isIdentity && name === key);
  const inline = (name: string, own: string | undefined): string =>
    isInline && name === key ? ` primary key${own === undefined ? "" : ` ${own}`}` : "";
  const besides = ({ name, otherClauses: own_ }: ColumnLayout): string => {
    const unique = uniques.some((one) => one.name === undefined && one.columns.length === 1 && one.columns[0] === name);
    const own = checks.filter(({ column }) => column === name).map(({ text }) => ` check (${text})`);
    return `${inline(name, own_)}${unique ? " unique" : ""}${own.join("")}`;
  };
  const lines = [
    ...table.columns.map((column) => columnText(column, rules, dialect) + besides(column)),
    ...(isInline || primaryKey.columns.length === 0
      ? []
      : [`${constraintText(primaryKey.name, dialect)}primary key (${listed(primaryKey.columns, dialect)})`]),
    ...uniques
      .filter(({ name, columns }) => name !== undefined || columns.length > 1)
      .map(({ name, columns }) => uniqueText(name, columns, dialect)),
    ...foreignKeys.map((key) => foreignKeyText(key, rules, dialect)),
    ...checks.filter(({ column }) => column === undefined).map((check) => checkText(check, dialect)),
  ];
  return `create table ${otherwise}${qualifiedTable(table, dialect)} (\n  ${lines.join(",\n  ")}\n)${table.settings ?? rules.settings}`;
}

/** Writes the method, the columns and the rows of an index. */
function indexParts(index: IndexLayout, { text: { quote } }: Dialect): string {
  const parts = index.parts.map(
    ({ column, expression, descending }) =>
      `${column === undefined ? `(${expression})` : quote(column)}${descending ? " desc" : ""}`,
  );
  const method = index.method === undefined ? "" : ` using ${index.method}`;
  const condition = index.condition === undefined ? "" : ` where ${index.condition}`;
  return `${method} (${parts.join(", ")})${condition}`;
}

const uniqueWord = ({ isUnique }: IndexLayout): string => (isUnique ? "unique " : "");

/** An index as a part of the statement that changes its table. */
export const indexAction = (index: IndexLayout, dialect: Dialect): string =>
  `add ${uniqueWord(index)}index ${dialect.text.quote(index.name)}${indexParts(index, dialect)}`;

/** The statement that creates an index; `otherwise`: what it says of one that is there. */
export function indexText(
  table: TableReference,
  index: IndexLayout,
  rules: TableRules,
  dialect: Dialect,
  otherwise: "" | "if not exists " | "concurrently " = "",
): string {
  const { quote } = dialect.text;
  if (index.own !== undefined) return index.own;
  const place = rules.isByItself && table.schema !== undefined ? `${quote(table.schema)}.` : "";
  const on = rules.isByItself ? quote(table.table) : qualifiedTable(table, dialect);
  return `create ${uniqueWord(index)}index ${otherwise}${place}${quote(index.name)} on ${on}${indexParts(index, dialect)}`;
}

/** A table in the order of creation, and those of its foreign keys that lead to tables which come after it. */
export interface LayoutInOrder {
  readonly table: TableLayout;
  readonly deferredKeys: readonly ForeignKeyLayout[];
}

/** Schemas, tables and indexes, and last the foreign keys that lead to tables which were not there yet. */
export function createText(
  tables: readonly LayoutInOrder[],
  rules: TableRules,
  dialect: Dialect,
  otherwise: "" | "if not exists " = "",
): readonly string[] {
  const schemas = new Set(tables.flatMap(({ table: { schema } }) => (schema === undefined ? [] : [schema])));
  // A schema of an engine where each is by itself is a file that the caller attached; its foreign keys may lead to
  // tables to come.
  const { isByItself } = rules;
  return [
    ...(isByItself ? [] : [...schemas].map((schema) => `create schema if not exists ${dialect.text.quote(schema)}`)),
    ...tables.flatMap(({ table, deferredKeys }) => [
      tableText(
        table,
        isByItself ? table.foreignKeys : table.foreignKeys.filter((key) => !deferredKeys.includes(key)),
        rules,
        dialect,
        otherwise,
      ),
      ...table.indexes.map((index) => indexText(table, index, rules, dialect, otherwise)),
    ]),
    ...(isByItself ? [] : tables).flatMap(({ table, deferredKeys }) =>
      deferredKeys.map(
        (key) => `alter table ${qualifiedTable(table, dialect)} add ${foreignKeyText(key, rules, dialect)}`,
      ),
    ),
  ];
}
