import { type Database, database } from "gemach";

/** A database that is kept in the browser. */
export interface Opened {
  readonly db: Database;
  /** What the engine says that it is. */
  readonly version: string;
  close(): Promise<void>;
}

/** SQLite, in the browser's private file system. Its files are one page's at a time. */
export async function openSqlite(): Promise<Opened> {
  const [{ default: init }, { sqliteWasm }] = await Promise.all([
    import("@sqlite.org/sqlite-wasm"),
    import("gemach/sqlite-wasm"),
  ]);
  const sqlite3 = await init();
  const pool = await sqlite3.installOpfsSAHPoolVfs({ name: "lending" }).catch((error: Error) => {
    throw new Error(
      `The browser's private file system cannot be used: it may be open in another tab. (${error.message})`,
    );
  });
  const handle = new pool.OpfsSAHPoolDb("/lending.sqlite");
  return {
    db: database(sqliteWasm(handle, sqlite3)),
    version: `SQLite ${sqlite3.version.libVersion}`,
    close: async () => {
      handle.close();
      pool.pauseVfs();
    },
  };
}

/** PostgreSQL, kept in the browser's own database. */
export async function openPglite(): Promise<Opened> {
  const [{ PGlite }, { pglite }] = await Promise.all([import("@electric-sql/pglite"), import("gemach/pglite")]);
  const handle = await PGlite.create("idb://lending");
  const { rows } = await handle.query<{ version: string }>("select split_part(version(), ' ', 2) as version");
  return {
    db: database(pglite(handle)),
    version: `PostgreSQL ${rows[0]?.version ?? ""}`,
    close: () => handle.close(),
  };
}
