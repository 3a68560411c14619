import { type Dialect, type DialectName, mariadbDialect, postgresDialect, sqliteDialect } from "../sql/index.js";

/** Every dialect by its name, for tools that work with several engines; an application takes the one of its driver. */
export const dialects: Readonly<Record<DialectName, Dialect>> = {
  sqlite: sqliteDialect,
  postgres: postgresDialect,
  mariadb: mariadbDialect,
};
