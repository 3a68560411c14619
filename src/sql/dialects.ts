import { GemachError } from "../errors/index.js";
import type { Dialect, DialectName } from "./dialect.js";
import { mariadbDialect } from "./mariadb.js";
import { postgresDialect, postgresInProcess } from "./postgres.js";
import { sqliteDialect } from "./sqlite.js";

const dialects: Readonly<Record<DialectName, Dialect>> = {
  sqlite: sqliteDialect,
  postgres: postgresDialect,
  mariadb: mariadbDialect,
};

/**
 * The dialect of a name, of a build of the engine that differs from others where `variant` says so.
 * @throws GemachError `DIALECT_UNKNOWN`
 */
export function dialectOf(name: DialectName, variant?: "in-process"): Dialect {
  if (name === "postgres" && variant === "in-process") return postgresInProcess;
  const dialect = Object.hasOwn(dialects, name) ? dialects[name] : undefined;
  if (dialect === undefined)
    throw new GemachError("DIALECT_UNKNOWN", { given: String(name), known: Object.keys(dialects) });
  return dialect;
}
