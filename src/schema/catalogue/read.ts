import type { AnyDatabase } from "../../database/index.js";
import { connectionOf, sendOwn } from "../../run/index.js";
import type { DialectName, TableLayout } from "../../sql/index.js";
import { readMariadbCatalogue } from "./mariadb.js";
import { readPostgresCatalogue } from "./postgres.js";
import type { CatalogueReader } from "./reader.js";
import { readSqliteCatalogue } from "./sqlite.js";

const readers: Readonly<Record<DialectName, CatalogueReader>> = {
  sqlite: readSqliteCatalogue,
  postgres: readPostgresCatalogue,
  mariadb: readMariadbCatalogue,
};

/**
 * The tables and views of a database but the library's own (`gemach_…`), as its catalogue tells of them, in four
 * statements at most for each schema on SQLite, and for all of them on servers.
 * @param schemas their schemas; undefined, as by default, is the one that the connection sees without naming it.
 * @throws GemachError `DATABASE_EXPECTED`, and what the database says
 */
export async function readTables(
  db: AnyDatabase,
  schemas: readonly (string | undefined)[] = [undefined],
): Promise<readonly TableLayout[]> {
  const { sender, dialect } = connectionOf(db, "readTables");
  const read = readers[dialect.name];
  const tables = await read((text) => sendOwn(sender, text, "the tables that are there"), dialect, schemas);
  return tables.filter(({ table }) => !table.startsWith("gemach_"));
}
