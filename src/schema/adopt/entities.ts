import { type AnyColumn, factsKey, kinds, snakeCase } from "../../columns/index.js";
import type { Dialect, TableLayout } from "../../sql/index.js";
import { expressionForm } from "../text/expression-form.js";
import { type ColumnCode, calling, having, kindCode, remarking } from "./code.js";
import { defaultIn } from "./defaults.js";
import { type ColumnEvidence, noEvidence } from "./evidence.js";
import { type AdoptedColumn, type AdoptedIndex, indexesIn, uniqueColumns } from "./indexes.js";
import { isUsual, mariadbColumn } from "./mariadb-columns.js";
import { freeName, propertyName } from "./names.js";
import { postgresColumn } from "./postgres-columns.js";
import { isJsonRule, ruledKind, rulesIn } from "./rules.js";
import { sqliteColumn } from "./sqlite-columns.js";

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

/** The evidence of a table's rows, by the column. */
export type Evidence = ReadonlyMap<string, ColumnEvidence>;

const isIndexedIn = ({ primaryKey, uniques, indexes, foreignKeys }: TableLayout, name: string): boolean =>
  [primaryKey, ...uniques, ...foreignKeys].some(({ columns }) => columns.includes(name)) ||
  indexes.some(({ parts }) => parts.some(({ column }) => column === name));

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

/** The facts that a table is adopted with. */
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
  const said = new Set<unknown>();
  const remarks: string[] = [];
  const isKeyed = table.kind === "table" && primaryKey.columns.length > 0;
  const adopted = table.columns.map((column): AdoptedColumn => {
    const property = freeName(propertyName(column.name), taken);
    taken.add(property);
    const inKey = primaryKey.columns.includes(column.name);
    let code = kindOf(table, column, dialect, evidence);
    const worded = isText(code.column) ? ruledKind(table, column, code, dialect) : undefined;
    if (worded !== undefined) {
      code = worded.code;
      said.add(worded.check);
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
    else if (column.default !== undefined && !isHandedOut && expressionForm(column.default, dialect.name) !== "null") {
      const form = expressionForm(column.default, dialect.name);
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
  const single = uniqueColumns(table, dialect);
  const columns = adopted.map((one): AdoptedColumn => {
    if (isKeyable && primaryKey.columns.includes(one.column))
      return one.code.text.startsWith("identity") ? one : { ...one, code: having(one.code, "key") };
    return single.has(one.column) && kinds[one.code.column[factsKey].type.kind].isIndexable
      ? { ...one, code: having(one.code, "unique") }
      : one;
  });
  const { indexes, remarks: left } = indexesIn(table, columns, dialect);
  remarks.push(...left);
  const checks = rulesIn(table, said, dialect);
  return { layout: table, entity, columns, properties, indexes, checks, isKeyless: !isKeyable, remarks };
}
