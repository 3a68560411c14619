import { GemachError } from "../errors/index.js";
import type { Dialect, DialectName } from "./dialect.js";
import { mariadbDialect } from "./mariadb.js";
import { postgresDialect, postgresWithLetters } from "./postgres.js";
import { sqliteDialect } from "./sqlite.js";

const dialects: Readonly<Record<DialectName, Dialect>> = {
  sqlite: sqliteDialect,
  postgres: postgresDialect,
  mariadb: mariadbDialect,
};

/**
 * The dialect of a name. `letters`: the collation by which PostgreSQL maps letters to capitals and back,
 * where that is not `C.utf8`.
 * @throws GemachError `DIALECT_UNKNOWN`
 */
export function dialectOf(name: DialectName, letters?: string): Dialect {
  if (name === "postgres" && letters !== undefined) return postgresWithLetters(letters);
  const dialect = Object.hasOwn(dialects, name) ? dialects[name] : undefined;
  if (dialect === undefined)
    throw new GemachError("DIALECT_UNKNOWN", { given: String(name), known: Object.keys(dialects) });
  return dialect;
}
