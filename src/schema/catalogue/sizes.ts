import type { AnyDatabase } from "../../database/index.js";
import { type TableReference, tableKey } from "../../model/index.js";
import { connectionOf, sendOwn } from "../../run/index.js";
import { qualifiedTable } from "../../sql/index.js";
import { textOr } from "./rows.js";

const estimates = {
  postgres:
    "select nullif(n.nspname, current_schema())::text, c.relname::text, c.reltuples::bigint::text from pg_class as c join pg_namespace as n on n.oid = c.relnamespace where c.relkind in ('r', 'p')",
  mariadb:
    "select nullif(table_schema, database()), table_name, table_rows from information_schema.tables where table_type = 'BASE TABLE'",
} as const;

/** About how many rows tables have: as the server's statistics know, exactly on SQLite. Unknown ones are left out. */
export async function readSizes(
  db: AnyDatabase,
  tables: readonly TableReference[],
): Promise<ReadonlyMap<string, number>> {
  const { sender, dialect } = connectionOf(db, "readSizes");
  const ask = (text: string) => sendOwn(sender, text, "how many rows there are");
  const sizes = new Map<string, number>();
  const wanted = new Set(tables.map(tableKey));
  if (dialect.name === "sqlite")
    for (const table of tables)
      sizes.set(tableKey(table), Number((await ask(`select count(*) from ${qualifiedTable(table, dialect)}`))[0]?.[0]));
  else
    for (const [schema, table, rows] of await ask(estimates[dialect.name])) {
      const key = tableKey({ schema: textOr(schema), table: String(table) });
      if (wanted.has(key) && rows !== null && Number(rows) >= 0) sizes.set(key, Number(rows));
    }
  return sizes;
}
