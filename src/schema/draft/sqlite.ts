import { type TableReference, tableKey } from "../../model/index.js";
import { columnText, type Dialect, indexText, qualifiedTable, type TableLayout, tableText } from "../../sql/index.js";
import type { Change } from "../compare/change.js";
import { speaksOf } from "../text/tokens.js";
import { createOrder, dropOrder, only, type Transition } from "./plan.js";
import { renameStatements } from "./servers.js";

/** What a constant default is to SQLite, which alone an added column may have that is not null. */
const constant = /^(?:-?[\d.]+|'(?:[^']|'')*'|true|false)$/i;

/** Whether SQLite makes a change in place (sqlite.org/lang_altertable.html); else the table is made anew. */
function isInPlace(change: Change, table: TableLayout): boolean {
  switch (change.kind) {
    case "create index":
    case "drop index":
    case "rename table":
    case "rename column":
      return true;
    case "add column": {
      const { isNullable, default: defaultText, computed, isIdentity } = change.column;
      if (isIdentity || computed?.isStored === true) return false;
      return isNullable
        ? defaultText === undefined || constant.test(defaultText)
        : defaultText !== undefined && constant.test(defaultText);
    }
    case "drop column": {
      const { name } = change.column;
      const texts = [
        ...table.checks.map(({ text }) => text),
        ...table.columns.map(({ computed }) => computed?.text ?? ""),
        ...table.indexes.map(({ condition, own }) => `${condition ?? ""} ${own ?? ""}`),
      ];
      const keys = [table.primaryKey, ...table.uniques, ...table.foreignKeys].flatMap(({ columns }) => columns);
      const inIndex = table.indexes.some(({ parts }) => parts.some(({ column }) => column === name));
      return !inIndex && !keys.includes(name) && !texts.some((text) => speaksOf(text, new Set([name]), "sqlite"));
    }
    default:
      return false;
  }
}

/** A name that no table has, for the one that takes another's place. */
const newName = ({ table }: TableReference): string => `gemach_new_${table}`;

/**
 * The statements that make a table anew and fill it with the rows of the one that there is, in the order of
 * sqlite.org/lang_altertable.html#otheralter.
 */
function remade(found: TableLayout, wanted: TableLayout, dialect: Dialect): readonly string[] {
  const { quote } = dialect.text;
  const { rules } = dialect.definition;
  const to: TableReference = { schema: wanted.schema, table: newName(wanted) };
  const kept = wanted.columns.filter(
    ({ name, computed }) =>
      computed === undefined && found.columns.some((other) => other.name === name && other.computed === undefined),
  );
  const names = kept.map(({ name }) => quote(name)).join(", ");
  return [
    tableText({ ...wanted, ...to }, wanted.foreignKeys, rules, dialect),
    ...(kept.length === 0
      ? []
      : [
          `insert into ${qualifiedTable(to, dialect)} (${names})\nselect ${names} from ${qualifiedTable(wanted, dialect)}`,
        ]),
    `drop table ${qualifiedTable(wanted, dialect)}`,
    `alter table ${qualifiedTable(to, dialect)} rename to ${quote(wanted.table)}`,
    ...wanted.indexes.map((index) => indexText(wanted, index, rules, dialect)),
    ...(wanted.triggers ?? []),
  ];
}

/**
 * Around tables that are made anew: keys that lead to them are not looked at meanwhile, nor are names in triggers and
 * views.
 */
const withoutKeys = "pragma foreign_keys = off";
const withoutNames = "pragma legacy_alter_table = on";
const back = ["pragma legacy_alter_table = off", "pragma foreign_keys = on"];

/** The statements by which SQLite brings tables along. */
export function sqliteStatements({ found, wanted, changes }: Transition, dialect: Dialect): readonly string[] {
  const { rules } = dialect.definition;
  const { quote } = dialect.text;
  const after = new Map(wanted.map((table) => [tableKey(table), table]));
  const created = createOrder(
    only(changes, "create table").map(({ table }) => table),
    () => false,
  );
  const gone = dropOrder(only(changes, "drop table").map(({ table }) => table));
  let isRemade = gone.some(({ deferredKeys }) => deferredKeys.length > 0);
  const altered = found.flatMap((table) => {
    const own = changes.filter(
      (change) =>
        tableKey(change.table) === tableKey(table) && change.kind !== "rename table" && change.kind !== "rename column",
    );
    const target = after.get(tableKey(table));
    if (own.length === 0 || target === undefined) return [];
    if (!own.every((change) => isInPlace(change, table))) {
      isRemade = true;
      return remade(table, target, dialect);
    }
    const of = `alter table ${qualifiedTable(table, dialect)}`;
    return [
      ...only(own, "drop index").map(
        ({ index }) => `drop index ${qualifiedTable({ schema: table.schema, table: index.name }, dialect)}`,
      ),
      ...only(own, "drop column").map(({ column }) => `${of} drop column ${quote(column.name)}`),
      ...only(own, "add column").map(({ column }) => `${of} add column ${columnText(column, rules, dialect)}`),
      ...only(own, "create index").map(({ index }) => indexText(table, index, rules, dialect)),
    ];
  });
  const renames = renameStatements(changes, dialect);
  const statements = [
    ...created.flatMap(({ table }) => [
      tableText(table, table.foreignKeys, rules, dialect),
      ...table.indexes.map((index) => indexText(table, index, rules, dialect)),
      ...(table.triggers ?? []),
    ]),
    ...altered,
    ...gone.map(({ table }) => `drop table ${qualifiedTable(table, dialect)}`),
  ];
  return isRemade ? [withoutKeys, ...renames, withoutNames, ...statements, ...back] : [...renames, ...statements];
}
