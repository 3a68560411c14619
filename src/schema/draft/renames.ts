import { type TableReference, tableKey } from "../../model/index.js";
import type { Dialect, ForeignKeyLayout, TableLayout } from "../../sql/index.js";
import { type Change, tableLabel } from "../compare/change.js";
import { tokensOf } from "../text/tokens.js";

/** Tables and columns that go on under other names. */
export interface Renames {
  /** "member" → "person"; with its schema where it is not the connection's own. */
  readonly tables: Readonly<Record<string, string>>;
  /** "loan.due" → "due_on", by the table's name as it was. */
  readonly columns: Readonly<Record<string, string>>;
}

/** The renames that a model speaks of, as far as tables have the former names yet. */
export function formerNames(found: readonly TableLayout[], wanted: readonly TableLayout[]): Renames {
  const tables: Record<string, string> = {};
  const columns: Record<string, string> = {};
  const there = new Map(found.map((table) => [tableLabel(table), table]));
  for (const table of wanted) {
    const former = tableLabel({ schema: table.schema, table: table.formerTable ?? table.table });
    const before = there.get(tableLabel(table)) ?? there.get(former);
    if (before === undefined) continue;
    if (before.table !== table.table) tables[former] = table.table;
    const names = new Set(before.columns.map(({ name }) => name));
    for (const { name, formerName } of table.columns)
      if (formerName !== undefined && names.has(formerName) && !names.has(name))
        columns[`${tableLabel(before)}.${formerName}`] = name;
  }
  return { tables, columns };
}

/** A text of SQL with other names of columns in it. */
export function renamed(text: string, names: ReadonlyMap<string, string>, { name, text: { quote } }: Dialect): string {
  // A word without quotes is the name whose letters it has, of either case.
  const words = new Map([...names].map(([one, to]) => [one.toLowerCase(), to]));
  let made = "";
  let from = 0;
  for (const { kind, text: one, start, end } of tokensOf(text, name)) {
    const other = kind === "word" ? words.get(one) : kind === "name" ? names.get(one) : undefined;
    if (other === undefined) continue;
    made += text.slice(from, start) + quote(other);
    from = end;
  }
  return made + text.slice(from);
}

/** Tables as they are once renamed, and the changes that rename them. */
export function renameIn(
  tables: readonly TableLayout[],
  { tables: newTables, columns }: Renames,
  dialect: Dialect,
): { readonly tables: readonly TableLayout[]; readonly changes: readonly Change[] } {
  const changes: Change[] = [];
  const columnsOf = new Map<string, Map<string, string>>();
  for (const table of tables) {
    const names = new Map<string, string>();
    for (const { name } of table.columns) {
      const to = columns[`${tableLabel(table)}.${name}`];
      if (to !== undefined) names.set(name, to);
    }
    columnsOf.set(tableKey(table), names);
  }
  const tableName = (of: TableReference): string =>
    (Object.hasOwn(newTables, tableLabel(of)) ? newTables[tableLabel(of)] : undefined) ?? of.table;
  const named = (of: TableReference, names: readonly string[]): readonly string[] =>
    names.map((name) => columnsOf.get(tableKey(of))?.get(name) ?? name);
  const keyOf = (of: TableReference, key: ForeignKeyLayout): ForeignKeyLayout => ({
    ...key,
    columns: named(of, key.columns),
    targetColumns: named(key.target, key.targetColumns),
    target: { schema: key.target.schema, table: tableName(key.target) },
  });
  const made = tables.map((table): TableLayout => {
    const names = columnsOf.get(tableKey(table)) as Map<string, string>;
    const text = (one: string): string => (names.size === 0 ? one : renamed(one, names, dialect));
    const { schema } = table;
    const to = tableName(table);
    // Statements of the table's own name it too.
    const allNames = to === table.table ? names : new Map([...names, [table.table, to]]);
    const whole = (one: string): string => (allNames.size === 0 ? one : renamed(one, allNames, dialect));
    if (to !== table.table) changes.push({ kind: "rename table", table: { schema, table: table.table }, to });
    for (const [column, name] of names)
      changes.push({ kind: "rename column", table: { schema, table: to }, column, to: name });
    return {
      ...table,
      table: to,
      columns: table.columns.map((column) => ({
        ...column,
        name: names.get(column.name) ?? column.name,
        computed: column.computed === undefined ? undefined : { ...column.computed, text: text(column.computed.text) },
      })),
      primaryKey: { ...table.primaryKey, columns: named(table, table.primaryKey.columns) },
      foreignKeys: table.foreignKeys.map((key) => keyOf(table, key)),
      uniques: table.uniques.map((key) => ({ ...key, columns: named(table, key.columns) })),
      indexes: table.indexes.map((index) => ({
        ...index,
        parts: index.parts.map((part) => ({
          ...part,
          column: part.column === undefined ? undefined : (names.get(part.column) ?? part.column),
        })),
        condition: index.condition === undefined ? undefined : text(index.condition),
        ...(index.own === undefined ? {} : { own: whole(index.own) }),
      })),
      checks: table.checks.map((check) => ({ ...check, text: text(check.text) })),
      triggers: table.triggers?.map(whole),
    };
  });
  return { tables: made, changes };
}
