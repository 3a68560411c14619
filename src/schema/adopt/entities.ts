import type { AnyColumn } from "../../columns/index.js";
import { factsKey, kinds, snakeCase } from "../../columns/index.js";
import { type Dialect, type IndexLayout, isEnclosed, type TableLayout } from "../../sql/index.js";
import { isForeign, typeForm } from "../compare/forms.js";
import { expressionForm, nameForm } from "../text/expression-form.js";
import { type ColumnCode, callCode, calling, having, kindCode, remarking } from "./code.js";
import { defaultIn } from "./defaults.js";
import { type ColumnEvidence, noEvidence } from "./evidence.js";
import { isUsual, mariadbColumn } from "./mariadb-columns.js";
import { freeName, propertyName } from "./names.js";
import { postgresColumn } from "./postgres-columns.js";
import { sqliteColumn } from "./sqlite-columns.js";

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

/** An entity in the making, but for its relations. */
export interface AdoptedEntity {
  readonly layout: TableLayout;
  readonly entity: string;
  readonly columns: readonly AdoptedColumn[];
  readonly properties: ReadonlyMap<string, string>;
  readonly indexes: readonly AdoptedIndex[];
  /** Rules in the database's own words. */
  readonly checks: readonly { readonly name: string; readonly text: string }[];
  readonly isKeyless: boolean;
  readonly remarks: readonly string[];
}

/** What a table's rows are known to hold, by the column. */
export type Evidence = ReadonlyMap<string, ColumnEvidence>;

/** Texts that a check lists for a column. */
function choicesIn(
  table: TableLayout,
  column: string,
  dialect: Dialect,
): { readonly choices: readonly string[]; readonly check: unknown } | undefined {
  for (const check of table.checks) {
    const form = expressionForm(check.text, dialect.name);
    const match = /^in\(("(?:[^"]|"")*"), ('(?:[^']|'(?!, '|\)$))*'(?:, '(?:[^']|'(?!, '|\)$))*')*)\)$/.exec(form);
    if (match === null || match[1] !== nameForm(column)) continue;
    const choices = [...(match[2] as string).matchAll(/'(.*?)'(?=, '|$)/gs)].map(([, text]) => text as string);
    if (choices.length > 0 && new Set(choices).size === choices.length && !choices.includes(""))
      return { choices, check };
  }
  return undefined;
}

const isIndexedIn = ({ primaryKey, uniques, indexes, foreignKeys }: TableLayout, name: string): boolean =>
  [primaryKey, ...uniques, ...foreignKeys].some(({ columns }) => columns.includes(name)) ||
  indexes.some(({ parts }) => parts.some(({ column }) => column === name));

/** A rule that says no more than that a text is JSON: MariaDB's type of this name has it. */
const isJsonRule = (text: string, column: string): boolean =>
  expressionForm(text, "mariadb") === `json_valid(${nameForm(column)})`;

/** The texts of a choice in a column of its own type: a text of any length, or of another form. */
function choiceCode(choices: readonly string[], type: string, dialect: Dialect): ColumnCode {
  const code = callCode("choice", ...choices);
  const usual = dialect.definition.rules.columnType({ kind: "choice", choices }, true);
  return typeForm(usual, dialect.name) === typeForm(type, dialect.name)
    ? code
    : calling(code, "storedAs", { [dialect.name]: type });
}

function kindOf(
  table: TableLayout,
  column: TableLayout["columns"][number],
  dialect: Dialect,
  evidence: Evidence,
): ColumnCode {
  const { name, type } = column;
  const known = evidence.get(name) ?? noEvidence;
  if (dialect.name === "sqlite") return sqliteColumn(column, known);
  const isJson = table.checks.some(({ text }) => isJsonRule(text, name));
  const code =
    dialect.name === "postgres" ? postgresColumn(column) : mariadbColumn(column, isIndexedIn(table, name), isJson);
  if (!known.isBeyond || (dialect.name === "mariadb" && code.text === "text")) return code;
  if (code.text === "boolean") return calling(kindCode("integer"), "storedAs", { mariadb: type });
  // The package would make objects of a document of MariaDB's.
  const form = code.text === "json()" && dialect.name === "mariadb" ? { type, read: "concat(?, '')" } : type;
  const own = calling(kindCode("text"), "storedAs", { [dialect.name]: form });
  return remarking(own, `some of its rows hold what ${code.text.replace(/\..*$/, "")} does not: code has them as text`);
}

const isText = (column: AnyColumn): boolean => kinds[column[factsKey].type.kind].hasCollation;

/** The collation that a column says by itself; undefined where it is that of the model. */
function collationOf(
  code: ColumnCode,
  collation: string | undefined,
  usual: string | undefined,
  dialect: Dialect,
): string | undefined {
  if (!isText(code.column)) return undefined;
  const isOwn = code.column[factsKey].type.stored !== undefined;
  if (dialect.name === "postgres") return isOwn ? undefined : collation === (usual ?? "C") ? undefined : collation;
  const found = dialect.name === "mariadb" && isUsual(collation) ? undefined : collation;
  if (isOwn) return found;
  return found === usual
    ? undefined
    : (found ?? (usual === undefined ? undefined : dialect.name === "mariadb" ? "utf8mb4_nopad_bin" : "binary"));
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

/** What a rule of SQLite's says of a text: that it is JSON, or how long it may be. */
function ruledCode({ checks }: TableLayout, column: string, code: ColumnCode) {
  if (code.text !== "text") return undefined;
  for (const check of checks) {
    const form = expressionForm(check.text, "sqlite");
    if (form === `json_valid(${nameForm(column)})`) return { code: callCode("json"), check };
    const start = `<=(length(${nameForm(column)}), `;
    const length = form.startsWith(start) ? /^\d+(?=\)$)/.exec(form.slice(start.length))?.[0] : undefined;
    if (length !== undefined && Number(length) > 0) return { code: callCode("varchar", Number(length)), check };
  }
  return undefined;
}

/** PostgreSQL gives conditions back between parentheses. */
const withoutParentheses = (text: string): string => (isEnclosed(text) ? withoutParentheses(text.slice(1, -1)) : text);

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

/** What a table is adopted with. */
interface AdoptingTable {
  readonly dialect: Dialect;
  /** The collation of texts that do not say any. */
  readonly usual: string | undefined;
  readonly evidence: Evidence;
  /** Whether a default is to be left to the table. */
  readonly isOwnDefault: (column: string) => boolean;
}

/** The entity of one table. */
export function adoptTable(
  table: TableLayout,
  entity: string,
  { dialect, usual, evidence, isOwnDefault }: AdoptingTable,
): AdoptedEntity {
  const { primaryKey } = table;
  const taken = new Set<string>();
  const chosen = new Set<unknown>();
  const remarks: string[] = [];
  const isKeyed = table.kind === "table" && primaryKey.columns.length > 0;
  const adopted = table.columns.map((column): AdoptedColumn => {
    const property = freeName(propertyName(column.name), taken);
    taken.add(property);
    const inKey = primaryKey.columns.includes(column.name);
    let code = kindOf(table, column, dialect, evidence);
    const worded = dialect.name === "sqlite" ? ruledCode(table, column.name, code) : undefined;
    if (worded !== undefined) {
      code = worded.code;
      chosen.add(worded.check);
    } else if (isText(code.column) && !code.text.startsWith("choice") && !inKey) {
      const found = choicesIn(table, column.name, dialect);
      if (found !== undefined) {
        code = choiceCode(found.choices, column.type, dialect);
        chosen.add(found.check);
      }
    }
    // A key that is another table's too is not handed out, although SQLite would.
    const isHeld = table.foreignKeys.some(({ columns: held }) => held.includes(column.name));
    const isHandedOut =
      column.isIdentity && !isHeld && inKey && primaryKey.columns.length === 1 && code.text === "integer";
    if (isHandedOut) code = kindCode("identity");
    const collation = collationOf(code, column.collation, usual, dialect);
    if (collation !== undefined) code = calling(code, "collated", { [dialect.name]: collation });
    if (snakeCase(property) !== column.name) code = calling(code, "named", column.name);
    if (column.computed !== undefined) code = having(code, "computed");
    else if (column.isIdentity && !isHandedOut) code = having(code, "defaulted");
    else if (
      column.standard !== undefined &&
      !isHandedOut &&
      expressionForm(column.standard, dialect.name) !== "null"
    ) {
      const form = expressionForm(column.standard, dialect.name);
      const value = isOwnDefault(column.name) ? undefined : defaultIn(form, code.column);
      code = value === undefined ? having(code, "defaulted") : calling(code, "defaultsTo", value);
    }
    if (column.isNullable && !(inKey && isKeyed)) code = having(code, "nullable");
    return { property, column: column.name, code, comment: column.comment };
  });
  const byColumn = new Map(adopted.map((one) => [one.column, one]));
  const properties = new Map(adopted.map(({ column, property }) => [column, property]));
  const isKeyable =
    isKeyed &&
    primaryKey.columns.every(
      (name) =>
        kinds[(byColumn.get(name) as AdoptedColumn).code.column[factsKey].type.kind].isKey &&
        byColumn.get(name)?.code.column[factsKey].type.codec === undefined,
    );
  if (isKeyed && !isKeyable)
    remarks.push(
      `its primary key (${primaryKey.columns.join(", ")}) is of a kind that a model takes for no key: its rows are not told apart`,
    );
  const single = new Set(
    table.uniques.filter(({ columns }) => columns.length === 1).map(({ columns }) => columns[0] as string),
  );
  for (const index of table.indexes) {
    const [part, ...others] = index.parts;
    if (
      index.isUnique &&
      others.length === 0 &&
      index.condition === undefined &&
      part?.column !== undefined &&
      !part.descending &&
      !isForeign(index, dialect.name)
    )
      single.add(part.column);
  }
  const columns = adopted.map((one): AdoptedColumn => {
    if (isKeyable && primaryKey.columns.includes(one.column))
      return one.code.text.startsWith("identity") ? one : { ...one, code: having(one.code, "key") };
    return single.has(one.column) && kinds[one.code.column[factsKey].type.kind].isIndexable
      ? { ...one, code: having(one.code, "unique") }
      : one;
  });
  const indexes: AdoptedIndex[] = [];
  for (const key of table.uniques)
    if (key.columns.length > 1)
      indexes.push({ on: key.columns.map((name) => properties.get(name) as string), unique: true });
  for (const index of table.indexes) {
    const [part, ...others] = index.parts;
    if (
      index.isUnique &&
      others.length === 0 &&
      index.condition === undefined &&
      part?.column !== undefined &&
      single.has(part.column)
    )
      continue;
    if (isOfKey(index, table)) continue;
    const said = indexIn(index, properties, byColumn, dialect);
    if (said === undefined)
      remarks.push(`its index ${index.name} is left to the database: ${index.own ?? index.method ?? "an expression"}`);
    else indexes.push(said);
  }
  const names = new Set<string>();
  const checks = table.checks
    .filter(
      (check) =>
        !chosen.has(check) &&
        !table.columns.some(({ name }) => dialect.name === "mariadb" && isJsonRule(check.text, name)),
    )
    .map((check) => {
      const name = freeName(
        propertyName((check.name ?? check.column ?? "rule").replace(new RegExp(`^${table.table}_`), "")),
        names,
      );
      names.add(name);
      return { name, text: withoutParentheses(check.text) };
    });
  return { layout: table, entity, columns, properties, indexes, checks, isKeyless: !isKeyable, remarks };
}
