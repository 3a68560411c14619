import { kinds, type ValueType } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import type {
  ColumnDescription,
  ForeignKeyDescription,
  IndexDescription,
  TableDescription,
  TableInOrder,
  TableReference,
} from "../../model/index.js";
import type { Dialect } from "../dialects/dialect.js";
import { storedIn } from "../dialects/stored.js";
import { qualifiedTable } from "../print/printer.js";
import { ownExpression } from "./own-expression.js";

/** What sets one engine's definitions of tables apart. */
export interface TableRules {
  /** How it says of a column that it is the primary key and that the database hands it out. */
  readonly identity: string;
  /** The type of a column; of one that is part of a key or index, where that matters. */
  readonly columnType: (type: ValueType, isIndexed: boolean) => string;
  /** The collation by which a text is compared; undefined where the table's own goes by code point. */
  readonly collation: (given: Readonly<Record<string, string>> | undefined) => string | undefined;
  /** What is checked of a column, since the engine's own type does not say it. */
  readonly check: (column: ColumnDescription, name: string) => string | undefined;
  /** Whether a schema is by itself: an index is created in it by name, and a foreign key leads to no other. */
  readonly isByItself: boolean;
  /** What stands after the columns. */
  readonly settings: string;
}

/** A check that a choice is one of its texts. */
export const choiceCheck = (name: string, choices: readonly string[], literal: (text: string) => string): string =>
  `${name} in (${choices.map(literal).join(", ")})`;

const listed = (columns: readonly string[], { text }: Dialect): string => columns.map(text.quote).join(", ");

/** Whether a column is part of a key or of an index. */
const isIndexed = ({ primaryKey, uniques, indexes, foreignKeys }: TableDescription, name: string): boolean =>
  primaryKey.includes(name) ||
  uniques.some((columns) => columns.includes(name)) ||
  indexes.some(({ parts }) => parts.some(({ column }) => column === name)) ||
  foreignKeys.some(({ columns }) => columns.includes(name));

function columnText(table: TableDescription, column: ColumnDescription, rules: TableRules, dialect: Dialect): string {
  const { text } = dialect;
  const { type, computed, defaultValue, defaultExpression, unknown } = column;
  if (unknown !== undefined)
    throw new GemachError("DEFINITION_MISSING", { column: `${table.entity}.${column.name}`, what: unknown });
  const name = text.quote(column.name);
  if (column.isIdentity) return `${name} ${rules.identity}`;
  const isOwn = storedIn(type, dialect.name) !== undefined;
  const collation = kinds[type.kind].hasCollation && !isOwn ? rules.collation(column.collations) : undefined;
  const check = rules.check(column, name);
  return [
    `${name} ${rules.columnType(type, isIndexed(table, column.name))}`,
    collation === undefined ? "" : ` collate ${text.quote(collation)}`,
    computed === undefined ? "" : ` generated always as (${ownExpression(computed, dialect)}) stored`,
    column.isNullable || computed !== undefined ? "" : " not null",
    defaultValue === undefined ? "" : ` default ${text.literal(defaultValue, type)}`,
    defaultExpression === undefined ? "" : ` default (${ownExpression(defaultExpression, dialect)})`,
    table.uniques.some(([only, ...others]) => only === column.name && others.length === 0) ? " unique" : "",
    check === undefined ? "" : ` check (${check})`,
  ].join("");
}

function foreignKeyText(
  { columns, target, targetColumns }: ForeignKeyDescription,
  rules: TableRules,
  dialect: Dialect,
) {
  const name = rules.isByItself ? dialect.text.quote(target.table) : qualifiedTable(target, dialect);
  return `foreign key (${listed(columns, dialect)}) references ${name} (${listed(targetColumns, dialect)})`;
}

/** The statement that creates a table where there is none, with the foreign keys given. */
export function tableText(
  table: TableDescription,
  foreignKeys: readonly ForeignKeyDescription[],
  rules: TableRules,
  dialect: Dialect,
): string {
  const isInline = table.columns.some(({ isIdentity }) => isIdentity);
  const lines = [
    ...table.columns.map((column) => columnText(table, column, rules, dialect)),
    ...(isInline || table.primaryKey.length === 0 ? [] : [`primary key (${listed(table.primaryKey, dialect)})`]),
    ...foreignKeys.map((key) => foreignKeyText(key, rules, dialect)),
    ...table.checks.map(
      ({ name, rule }) => `constraint ${dialect.text.quote(name)} check (${ownExpression(rule, dialect)})`,
    ),
  ];
  return `create table if not exists ${qualifiedTable(table, dialect)} (\n  ${lines.join(",\n  ")}\n)${rules.settings}`;
}

/** The rows that an index holds. */
function conditionText({ conditions }: IndexDescription, { text }: Dialect): string {
  if (conditions.length === 0) return "";
  const parts = conditions.map(({ column, type, value }) => {
    const name = text.quote(column);
    return value === null ? `${name} is null` : `${name} = ${text.literal(value, type)}`;
  });
  return ` where ${parts.join(" and ")}`;
}

/** The statement that creates an index; `otherwise`: what it says of one that is there. */
export function indexText(
  table: TableReference,
  index: IndexDescription,
  rules: TableRules,
  dialect: Dialect,
  otherwise: "" | "if not exists " = "",
): string {
  const { quote } = dialect.text;
  const place = rules.isByItself && table.schema !== undefined ? `${quote(table.schema)}.` : "";
  const on = rules.isByItself ? quote(table.table) : qualifiedTable(table, dialect);
  const parts = index.parts.map(({ column, descending }) => `${quote(column)}${descending ? " desc" : ""}`);
  return `create ${index.isUnique ? "unique " : ""}index ${otherwise}${place}${quote(index.name)} on ${on} (${parts.join(", ")})${conditionText(index, dialect)}`;
}

/** The statements that create the indexes of a table. */
export const indexTexts = (table: TableDescription, rules: TableRules, dialect: Dialect): readonly string[] =>
  table.indexes.map((index) => indexText(table, index, rules, dialect, "if not exists "));

/** Schemas, tables and indexes, and last the foreign keys that lead to tables which were not there yet. */
export function createWithLateKeys(
  tables: readonly TableInOrder[],
  rules: TableRules,
  dialect: Dialect,
): readonly string[] {
  const schemas = new Set(tables.flatMap(({ table: { schema } }) => (schema === undefined ? [] : [schema])));
  return [
    ...[...schemas].map((schema) => `create schema if not exists ${dialect.text.quote(schema)}`),
    ...tables.flatMap(({ table, lateKeys }) => [
      tableText(
        table,
        table.foreignKeys.filter((key) => !lateKeys.includes(key)),
        rules,
        dialect,
      ),
      ...indexTexts(table, rules, dialect),
    ]),
    ...tables.flatMap(({ table, lateKeys }) =>
      lateKeys.map((key) => `alter table ${qualifiedTable(table, dialect)} add ${foreignKeyText(key, rules, dialect)}`),
    ),
  ];
}
