import { tableKey } from "../../model/index.js";
import type { ColumnLayout, DialectName, ForeignKeyLayout, IndexLayout } from "../../sql/index.js";
import { expressionForm } from "../text/expression-form.js";

/** Display widths that say nothing of what a column holds (MariaDB), by the type. */
const displayWidth = /^(tinyint|smallint|mediumint|int|integer|bigint)\(\d+\)/;

const postgresNames: readonly (readonly [RegExp, string])[] = [
  [/^timestamptz(\(\d\))?$/, "timestamp$1 with time zone"],
  [/^timestamp(\(\d\))?$/, "timestamp$1 without time zone"],
  [/^timetz(\(\d\))?$/, "time$1 with time zone"],
  [/^time(\(\d\))?$/, "time$1 without time zone"],
  [/^varchar\b/, "character varying"],
  [/^(?:char|bpchar)\b/, "character"],
  [/^decimal\b/, "numeric"],
  [/^(?:int|int4)$/, "integer"],
  [/^int8$/, "bigint"],
  [/^int2$/, "smallint"],
  [/^float8$/, "double precision"],
  [/^float4$/, "real"],
  [/^bool$/, "boolean"],
];

/** How SQLite takes a declared type: by the affinity of its name (sqlite.org/datatype3.html, 3.1). */
export function affinityOf(type: string): "integer" | "text" | "blob" | "real" | "numeric" {
  const name = type.toLowerCase();
  if (name.includes("int")) return "integer";
  if (/char|clob|text/.test(name)) return "text";
  if (name === "" || name.includes("blob")) return "blob";
  return /real|floa|doub/.test(name) ? "real" : "numeric";
}

const typeForms: Readonly<Record<DialectName, Map<string, string>>> = {
  sqlite: new Map(),
  postgres: new Map(),
  mariadb: new Map(),
};

/** A type in a form by which two texts of the same are alike. */
export function typeForm(type: string, dialect: DialectName): string {
  const known = typeForms[dialect].get(type);
  if (known !== undefined) return known;
  if (typeForms[dialect].size >= 1000) typeForms[dialect].clear();
  const form = readTypeForm(type, dialect);
  typeForms[dialect].set(type, form);
  return form;
}

function readTypeForm(type: string, dialect: DialectName): string {
  if (dialect === "sqlite") return affinityOf(type);
  const plain = type
    .toLowerCase()
    .replaceAll(/\s+/g, " ")
    .replaceAll(/\s*([(,])\s*/g, "$1")
    .replaceAll(" )", ")")
    .trim();
  if (dialect === "mariadb")
    return plain
      .replace(/ character set \w+/, "")
      .replace(/ collate \w+/, "")
      .replace(/^(?:boolean|bool)$/, "tinyint(1)")
      .replace(/^numeric\b/, "decimal")
      .replace(/^integer\b/, "int")
      .replace(/^json$/, "longtext")
      .replace(displayWidth, (width, name) => (width === "tinyint(1)" ? width : name));
  // How many dimensions a list has is declared, and not looked at (PostgreSQL's manual, 8.15.1).
  const [element, ...lists] = plain.replace(/(?:\[\])+$/, "[]").split("[]");
  const found = postgresNames.find(([pattern]) => pattern.test(element as string));
  return [found === undefined ? element : (element as string).replace(...found), ...lists].join("[]");
}

/** The collation of MariaDB by which texts are compared by code point: that of the tables of a model. */
export const byCodePoint = "utf8mb4_nopad_bin";

/** The collation by which a column is compared: of MariaDB a type may say it. */
export function collationForm({ type, collation }: ColumnLayout): string {
  const name = (collation ?? / collate (\w+)/i.exec(type)?.[1] ?? "").toLowerCase();
  return name === byCodePoint ? "" : name;
}

/**
 * An instant, or a day and a time of day, however an engine writes it: "1970-01-01 01:00:00+01",
 * "1970-01-01T00:00:00.000Z".
 */
function instantForm(text: string): string {
  const match = /^(\d{4}-\d\d-\d\d)[ T](\d\d:\d\d(?::\d\d)?)(\.\d+)?(Z|[+-]\d\d(?::?\d\d)?)?$/.exec(text);
  if (match === null) return text;
  const [, day, time, fraction = "", zone] = match;
  const rest = fraction.replace(/\.?0+$/, "");
  if (zone === undefined || zone === "Z") return `${day} ${time}${rest}`;
  const offset = zone.length === 3 ? `${zone}:00` : zone;
  return `${new Date(`${day}T${time}${offset}`).toISOString().slice(0, 19).replace("T", " ")}${rest}`;
}

/** What rows get that leave a column out, in a form by which two texts of the same are alike. */
export function defaultForm({ default: defaultText, type }: ColumnLayout, dialect: DialectName): string {
  if (defaultText === undefined) return "";
  const form = expressionForm(defaultText, dialect);
  if (form === "null") return "";
  // Numbers and conditions are written with and without quotes, as words and as numbers.
  const bare = form.replace(/^'(.*)'$/s, "$1");
  const kind = typeForm(type, dialect);
  if (/^(?:boolean|tinyint\(1\))$/.test(kind)) return bare.replace(/^(?:true|t)$/, "1").replace(/^(?:false|f)$/, "0");
  if (/^(?:timestamp|datetime)/.test(kind) || (kind === "text" && form !== bare)) return instantForm(bare);
  if (/^-?\d+\.\d*0*$/.test(bare) && /numeric|decimal|real|double/.test(kind)) return bare.replace(/\.?0+$/, "");
  return /^(?:integer|bigint|smallint|int|numeric|decimal|real|double|mediumint|tinyint)/.test(kind) ? bare : form;
}

/** Conditions of indexes that a model has words for: values of columns, or none. */
const plainCondition = /^(?:is|=)\("(?:[^"]|"")*", (?:null|true|false|-?[\d.]+|'[^']*')\)$/;

/**
 * Whether a model has no words for an index: one of an expression, of another method, of other rows than those with
 * some values.
 */
export function isForeign({ own, parts, method, condition }: IndexLayout, dialect: DialectName): boolean {
  if (own !== undefined || method !== undefined || parts.some(({ column }) => column === undefined)) return true;
  if (condition === undefined) return false;
  const form = expressionForm(condition, dialect);
  const conditions = form.startsWith("and(") ? form.slice(4, -1).split(/, (?=is\(|=\()/) : [form];
  return !conditions.every((one) => plainCondition.test(one));
}

/** An index in a form by which two of the same are alike, whatever their names. */
export const indexForm = ({ parts, isUnique, condition }: IndexLayout, dialect: DialectName): string =>
  JSON.stringify([
    parts.map(({ column, descending }) => [column, descending]),
    isUnique,
    condition === undefined ? "" : expressionForm(condition, dialect),
  ]);

/** What a foreign key does; on MariaDB to refuse is the same at once and at the end (InnoDB knows only the former). */
const actionForm = (action: ForeignKeyLayout["onDelete"], dialect: DialectName): string =>
  action === "restrict" && dialect === "mariadb" ? "no action" : action;

/** A foreign key in a form by which two are alike, in whatever order their pairs of columns stand. */
export const foreignKeyForm = (key: ForeignKeyLayout, dialect: DialectName): string =>
  JSON.stringify([
    ...[key.columns.map((column, i) => [column, key.targetColumns[i]]).sort(), tableKey(key.target)],
    ...[actionForm(key.onDelete, dialect), actionForm(key.onUpdate, dialect)],
  ]);

/** Gives for each one what is there of the same form, each thing once: a table may have two indexes that are alike. */
export function takingFrom<T>(there: readonly T[], formOf: (one: T) => string): (one: T) => T | undefined {
  const left = new Map<string, T[]>();
  for (const one of there) left.set(formOf(one), [...(left.get(formOf(one)) ?? []), one]);
  return (one) => left.get(formOf(one))?.shift();
}
