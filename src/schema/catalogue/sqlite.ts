import type { TableLayout } from "../../sql/index.js";
import { columnsKey, type TableWords, tableWords } from "../text/create-table.js";
import { tokensOf } from "../text/tokens.js";
import type { CatalogueReader } from "./reader.js";
import { actionOf, type FoundIndex, type FoundTable, foundColumn, foundTable, inMap, isTrue, textOr } from "./rows.js";

const statements = (quoted: string, literal: string) => ({
  tables: `select type, name, tbl_name, sql from ${quoted}.sqlite_schema where name not like 'sqlite\\_%' escape '\\' order by name`,
  columns: `select m.name, x.name, x.type, x."notnull", x.dflt_value, x.pk, x.hidden from ${quoted}.sqlite_schema as m join pragma_table_xinfo(m.name, ${literal}) as x where m.type in ('table', 'view') order by m.name, x.cid`,
  keys: `select m.name, f.id, f."table", f."from", f."to", f.on_update, f.on_delete from ${quoted}.sqlite_schema as m join pragma_foreign_key_list(m.name, ${literal}) as f where m.type = 'table' order by m.name, f.id, f.seq`,
  indexes: `select m.name, i.name, i."unique", i.origin, x.name, x."desc", x.coll from ${quoted}.sqlite_schema as m join pragma_index_list(m.name, ${literal}) as i join pragma_index_xinfo(i.name, ${literal}) as x where m.type = 'table' and x.key = 1 order by m.name, i.seq desc, x.seqno`,
});

/** SQLite gives these back in capital letters, however they were written. */
const standardTypes = new Set(["INTEGER", "INT", "TEXT", "REAL", "BLOB", "ANY"]);

/** The condition of an index: what its statement has behind the word for it, outside of all parentheses. */
function conditionIn(sql: string): string | undefined {
  let depth = 0;
  for (const { kind, text, end } of tokensOf(sql, "sqlite")) {
    if (kind === "sign" && text === "(") depth++;
    if (kind === "sign" && text === ")") depth--;
    if (kind === "word" && text === "where" && depth === 0) return sql.slice(end).trim();
  }
  return undefined;
}

/** Adds what SQLite's catalogue says of indexes: keys of constraints among them. */
function takeIndexes(
  tables: ReadonlyMap<string, FoundTable>,
  rows: readonly (readonly unknown[])[],
  words: ReadonlyMap<string, TableWords>,
  texts: ReadonlyMap<string, string>,
): void {
  const found = new Map<
    string,
    { readonly origin: string; readonly table: string; index: FoundIndex; isPlain: boolean }
  >();
  for (const [table, name, isUnique, origin, column, descending, collation] of rows) {
    const one = inMap(found, String(name), () => {
      const sql = texts.get(String(name));
      const index = {
        ...{ name: String(name), parts: [], isUnique: isTrue(isUnique), method: undefined },
        condition: sql === undefined ? undefined : conditionIn(sql),
      };
      return { origin: String(origin), table: String(table), index, isPlain: true };
    });
    const own = tables.get(one.table)?.columns.find((other) => other.name === column);
    if (own === undefined || (own.collation ?? "binary") !== String(collation ?? "binary").toLowerCase())
      one.isPlain = false;
    one.index.parts.push({ column: textOr(column), expression: undefined, descending: isTrue(descending) });
  }
  for (const { origin, table, index, isPlain } of found.values()) {
    const foundTable = tables.get(table);
    const columns = index.parts.map((part) => part.column ?? "");
    const own = texts.get(index.name);
    if (origin === "c") foundTable?.indexes.push(isPlain || own === undefined ? index : { ...index, own });
    if (origin === "u") foundTable?.uniques.push({ name: words.get(table)?.uniques.get(columnsKey(columns)), columns });
  }
}

function takeColumns(
  tables: ReadonlyMap<string, FoundTable>,
  rows: readonly (readonly unknown[])[],
  words: ReadonlyMap<string, TableWords>,
) {
  const keys = new Map<string, [number, string][]>();
  for (const [table, name, type, notNull, defaultText, position, hidden] of rows) {
    const found = tables.get(String(table));
    if (found === undefined || Number(hidden) === 1) continue;
    const said = words.get(String(table))?.columns.get(String(name));
    const kind = Number(hidden);
    found.columns.push({
      ...foundColumn(String(name), standardTypes.has(String(type)) ? String(type).toLowerCase() : String(type)),
      isNullable: !isTrue(notNull),
      collation: said?.collation === "binary" ? undefined : said?.collation,
      default: textOr(defaultText),
      computed: kind > 1 ? { text: said?.computed ?? "", isStored: kind === 3 } : undefined,
    });
    if (Number(position) > 0) inMap(keys, String(table), () => []).push([Number(position), String(name)]);
  }
  for (const [table, parts] of keys) {
    const found = tables.get(table) as FoundTable;
    const columns = parts.sort(([left], [right]) => left - right).map(([, name]) => name);
    found.primaryKey = { name: undefined, columns };
    // An "integer primary key" is the row's own number, which SQLite hands out
    // (sqlite.org/lang_createtable.html#rowid).
    found.columns = found.columns.map((column) => {
      const isIdentity = columns.length === 1 && columns[0] === column.name && column.type.toLowerCase() === "integer";
      const others = words.get(table)?.hasAutoincrement === true ? "autoincrement" : undefined;
      return isIdentity ? { ...column, isIdentity, isNullable: false, otherClauses: others } : column;
    });
  }
}

function takeKeys(
  tables: ReadonlyMap<string, FoundTable>,
  schema: string | undefined,
  rows: readonly (readonly unknown[])[],
  words: ReadonlyMap<string, TableWords>,
) {
  const found = new Map<
    string,
    {
      readonly table: string;
      readonly target: string;
      readonly from: string[];
      readonly to: (string | undefined)[];
      readonly update: unknown;
      readonly remove: unknown;
    }
  >();
  for (const [table, id, target, from, to, update, remove] of rows) {
    const key = inMap(found, JSON.stringify([table, id]), () => ({
      ...{ table: String(table), target: String(target), from: [], to: [], update, remove },
    }));
    key.from.push(String(from));
    key.to.push(textOr(to));
  }
  const byName = new Map([...tables.values()].map((foundTable) => [foundTable.table.toLowerCase(), foundTable]));
  for (const { table, target, from, to, update, remove } of found.values()) {
    const named = byName.get(target.toLowerCase());
    tables.get(table)?.foreignKeys.unshift({
      name: words.get(table)?.foreignKeys.get(columnsKey(from)),
      columns: from,
      target: { schema, table: named?.table ?? target },
      // A foreign key that names no columns leads to the primary key.
      targetColumns: to.map((name, i) => name ?? named?.primaryKey.columns[i] ?? ""),
      onDelete: actionOf(remove),
      onUpdate: actionOf(update),
      otherClauses:
        words.get(table)?.deferred.has(columnsKey(from)) === true ? "deferrable initially deferred" : undefined,
    });
  }
}

/** The catalogue of SQLite: its own, and that of an attached file for each schema. */
export const readSqliteCatalogue: CatalogueReader = async (ask, { text: { quote, literal } }, schemas) => {
  const all: TableLayout[] = [];
  for (const schema of schemas) {
    const name = schema ?? "main";
    const asked = statements(quote(name), literal(name, { kind: "text" }));
    const tables = new Map<string, FoundTable>();
    const words = new Map<string, TableWords>();
    const texts = new Map<string, string>();
    const triggers = new Map<string, string[]>();
    for (const [type, one, table, sql] of await ask(asked.tables)) {
      if (type === "trigger") inMap(triggers, String(table), () => []).push(String(sql));
      if (type === "table" || type === "view") tables.set(String(one), foundTable(schema, String(one), type));
      if (type === "table") words.set(String(one), tableWords(String(sql)));
      if (sql !== null) texts.set(String(one), String(sql));
    }
    takeColumns(tables, await ask(asked.columns), words);
    for (const [table, { checks, settings }] of words) {
      const found = tables.get(table) as FoundTable;
      found.checks.push(...checks);
      found.settings = settings;
    }
    takeKeys(tables, schema, await ask(asked.keys), words);
    takeIndexes(tables, await ask(asked.indexes), words, texts);
    for (const found of tables.values()) all.push({ ...found, triggers: triggers.get(found.table) ?? [] });
  }
  return all;
};
