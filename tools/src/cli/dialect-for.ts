import type { Dialect } from "gemach";
import { mariadbDialect, pgliteDialect, postgresDialect, sqliteDialect } from "gemach/tooling";

/** Dialects by what databases' URLs begin with. */
export const dialects: Readonly<Record<string, Dialect>> = {
  sqlite: sqliteDialect,
  postgres: postgresDialect,
  pglite: pgliteDialect,
  mariadb: mariadbDialect,
};

/** The dialect of an engine; SQLite's where none is known. */
export const dialectFor = (engine: string | undefined): Dialect => dialects[engine ?? "sqlite"] ?? sqliteDialect;
