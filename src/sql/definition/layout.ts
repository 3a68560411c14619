import { kinds } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import type {
  ColumnDescription,
  ForeignKeyAction,
  IndexDescription,
  TableDescription,
  TableReference,
} from "../../model/index.js";
import type { Dialect } from "../dialects/dialect.js";
import { storedIn } from "../dialects/stored.js";
import { ownExpression } from "./own-expression.js";
import type { TableRules } from "./table-rules.js";

/** A column as one engine's table has it. Types, defaults and expressions are texts in that engine's SQL. */
export interface ColumnLayout {
  readonly name: string;
  readonly type: string;
  /** Undefined where it is the table's own, or its type knows none. */
  readonly collation: string | undefined;
  /** Whether it is to be that one; else it is the database's matter. */
  readonly isCollated: boolean;
  readonly isNullable: boolean;
  /** An expression of what rows get that leave it out. */
  readonly default: string | undefined;
  /** Whether the database hands its values out, by a sequence of the column's own. */
  readonly isIdentity: boolean;
  readonly computed: { readonly text: string; readonly isStored: boolean } | undefined;
  /** What the table alone knows: a model says only that it is there. */
  readonly unknown: ColumnDescription["unknown"];
  readonly comment: string | undefined;
  /** The texts of which it holds one, where its type is a list of such (PostgreSQL). */
  readonly choices?: readonly string[] | undefined;
  /** Whether a model has words for an index of it; undefined where a catalogue tells. */
  readonly isIndexable?: boolean | undefined;
  /** What a model says that it was called before. */
  readonly formerName?: string | undefined;
  /** What else its definition says, of which a model knows nothing. */
  readonly otherClauses?: string | undefined;
}

/** Columns no two rows of which have the same values: of a constraint, which may have a name. */
export interface KeyLayout {
  readonly name: string | undefined;
  readonly columns: readonly string[];
}

/** A foreign key; `onDelete`, `onUpdate`: what becomes of its rows with those that they lead to. */
export interface ForeignKeyLayout extends KeyLayout {
  readonly target: TableReference;
  readonly targetColumns: readonly string[];
  readonly onDelete: ForeignKeyAction;
  readonly onUpdate: ForeignKeyAction;
  /** What else its definition says, of which a model knows nothing: when it is looked at. */
  readonly otherClauses?: string | undefined;
}

/** A column or an expression in an index. */
export interface IndexPartLayout {
  readonly column: string | undefined;
  readonly expression: string | undefined;
  readonly descending: boolean;
}

/** An index. */
export interface IndexLayout {
  readonly name: string;
  readonly parts: readonly IndexPartLayout[];
  readonly isUnique: boolean;
  /** The rows that are in it; undefined: all. */
  readonly condition: string | undefined;
  /** How it is kept, where that is no tree in an order. */
  readonly method: string | undefined;
  /** The statement that creates it, where a model has no words for it. */
  readonly own?: string;
}

/** A rule that each row keeps; `column`: where it stands with a column, without a name. */
export interface CheckLayout {
  readonly name: string | undefined;
  readonly text: string;
  readonly column: string | undefined;
}

/** A table as one engine has it: what a model lays out, and what a catalogue tells. */
export interface TableLayout extends TableReference {
  readonly kind: "table" | "view";
  /** The entity's name, where it is a model's, and what the model says that the table was called before. */
  readonly entity: string | undefined;
  readonly formerTable?: string | undefined;
  readonly columns: readonly ColumnLayout[];
  readonly primaryKey: KeyLayout;
  readonly foreignKeys: readonly ForeignKeyLayout[];
  readonly uniques: readonly KeyLayout[];
  readonly indexes: readonly IndexLayout[];
  readonly checks: readonly CheckLayout[];
  readonly comment: string | undefined;
  /** The clauses behind its columns, where they are not what the tables of a model have. */
  readonly settings?: string | undefined;
  /** The collation of texts that do not say any, where the engine has one for each table (MariaDB). */
  readonly collation?: string | undefined;
  /** The statements of its triggers, where they go with a table that is made anew (SQLite). */
  readonly triggers?: readonly string[] | undefined;
}

/** Whether a column is part of a key or of an index. */
const isIndexed = ({ primaryKey, uniques, indexes, foreignKeys }: TableDescription, name: string): boolean =>
  primaryKey.includes(name) ||
  uniques.some((columns) => columns.includes(name)) ||
  indexes.some(({ parts }) => parts.some(({ column }) => column === name)) ||
  foreignKeys.some(({ columns }) => columns.includes(name));

function defaultOf({ defaultValue, defaultExpression, type }: ColumnDescription, dialect: Dialect) {
  if (defaultValue !== undefined) return dialect.text.literal(defaultValue, type);
  return defaultExpression === undefined ? undefined : ownExpression(defaultExpression, dialect);
}

function columnLayout(table: TableDescription, column: ColumnDescription, rules: TableRules, dialect: Dialect) {
  const { name, type, isNullable, isIdentity, computed, unknown, collations } = column;
  const isOwn = storedIn(type, dialect.name) !== undefined;
  // A type of the engine's own has a collation where it is said.
  const isCollated = kinds[type.kind].hasCollation && (!isOwn || collations?.[dialect.name] !== undefined);
  const layout: ColumnLayout = {
    name,
    type: rules.columnType(type, isIndexed(table, name)),
    collation: isCollated ? rules.collation(collations) : undefined,
    isCollated,
    isNullable,
    default: defaultOf(column, dialect),
    isIdentity,
    computed: computed === undefined ? undefined : { text: ownExpression(computed, dialect), isStored: true },
    unknown,
    comment: undefined,
    formerName: column.formerName,
    isIndexable: kinds[type.kind].isIndexable,
  };
  return layout;
}

/** The rows that an index holds. */
function conditionText({ conditions }: IndexDescription, { text }: Dialect): string | undefined {
  if (conditions.length === 0) return undefined;
  const parts = conditions.map(({ column, type, value }) => {
    const name = text.quote(column);
    return value === null ? `${name} is null` : `${name} = ${text.literal(value, type)}`;
  });
  return parts.join(" and ");
}

/** An index of a model as an engine has it. */
export function indexLayout(
  given: IndexDescription,
  entity: string,
  { index: adapted }: TableRules,
  dialect: Dialect,
): IndexLayout {
  const index = adapted?.(given, entity) ?? given;
  return {
    name: index.name,
    parts: index.parts.map((part) => ({ ...part, expression: undefined })),
    isUnique: index.isUnique,
    condition: conditionText(index, dialect),
    method: undefined,
  };
}

/** Types that hold any text; another one in which a choice is stored has its texts of its own. */
const textType =
  /^(?:text|varchar|character varying|char|character|bpchar|citext|name|tinytext|mediumtext|longtext)(?![\w])/i;

/** Whether a column's own type says what it holds. */
const isOfOwnType = ({ type }: ColumnDescription, dialect: Dialect): boolean => {
  const stored = storedIn(type, dialect.name);
  return stored !== undefined && type.choices !== undefined && !textType.test(stored.type);
};

function checksOf(table: TableDescription, rules: TableRules, dialect: Dialect): readonly CheckLayout[] {
  const ofColumns = table.columns.flatMap((column): readonly CheckLayout[] => {
    const isSaid = column.isIdentity || isOfOwnType(column, dialect);
    const text = isSaid ? undefined : rules.check(column, dialect.text.quote(column.name));
    return text === undefined ? [] : [{ name: undefined, text, column: column.name }];
  });
  const own = table.checks.map(({ name, rule }) => ({ name, text: ownExpression(rule, dialect), column: undefined }));
  return [...ofColumns, ...own];
}

/** A model's table as an engine is to have it. */
export const layOut = (table: TableDescription, rules: TableRules, dialect: Dialect): TableLayout => ({
  ...{ kind: "table", schema: table.schema, table: table.table, entity: table.entity, comment: undefined },
  formerTable: table.formerTable,
  columns: table.columns.map((column) => columnLayout(table, column, rules, dialect)),
  primaryKey: { name: undefined, columns: table.primaryKey },
  foreignKeys: table.foreignKeys.map((key) => ({ ...key, name: undefined })),
  uniques: table.uniques.map((columns) => ({ name: undefined, columns })),
  indexes: table.indexes.map((index) => indexLayout(index, table.entity, rules, dialect)),
  checks: checksOf(table, rules, dialect),
});

/**
 * Refuses a column of which only the table knows what it is to be.
 * @throws GemachError `DEFINITION_MISSING`
 */
export function refuseUnknown({ entity, table, columns }: TableLayout): void {
  for (const { name, unknown } of columns)
    if (unknown !== undefined)
      throw new GemachError("DEFINITION_MISSING", { column: `${entity ?? table}.${name}`, what: unknown });
}
