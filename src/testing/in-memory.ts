import { type Database, type DatabaseOptions, database } from "../database/index.js";
import { type SqliteHandle, sqlite } from "../drivers/sqlite.js";
import type { Definitions, Model } from "../model/index.js";
import { createTables } from "../tables/index.js";

/**
 * A database for a test, with the tables of a model: `await inMemory(new Sqlite(":memory:"), lending)`. What is written
 * for a database cannot tell it from another one.
 */
export async function inMemory<D extends Definitions<D>>(
  handle: SqliteHandle,
  model: Model<D>,
  options?: DatabaseOptions,
): Promise<Database> {
  const db = database(sqlite(handle), options);
  await createTables(db, model);
  return db;
}
