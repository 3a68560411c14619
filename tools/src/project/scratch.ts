import { randomBytes } from "node:crypto";
import { database, GemachError } from "gemach";
import type { OpenedDatabase } from "gemach/config";
import { mariadb } from "gemach/mariadb";
import { pglite } from "gemach/pglite";
import { postgres } from "gemach/postgres";
import { sqlite } from "gemach/sqlite";
import { toolError } from "gemach/tooling";
import type { Project } from "./load.js";
import { needed, schemeOf } from "./open.js";
import { openSqlite } from "./open-sqlite.js";

/** Makes an empty database beside the one of a URL; it is dropped where it is closed. */
const makers: Readonly<Record<string, (url: string, name: string) => Promise<OpenedDatabase>>> = {
  sqlite: async () => {
    const handle = await openSqlite(":memory:");
    return { db: database(sqlite(handle)), close: () => handle.close() };
  },
  pglite: async () => {
    const { PGlite } = await needed("@electric-sql/pglite", "Making a database of PGlite");
    const handle = new PGlite();
    return { db: database(pglite(handle)), close: () => handle.close() };
  },
  postgres: async (url, name) => {
    const { default: pg } = await needed("pg", "Making a PostgreSQL database");
    const admin = new pg.Client({ connectionString: url });
    await admin.connect();
    await admin.query(`create database ${name}`);
    const own = new URL(url);
    own.pathname = `/${name}`;
    const pool = new pg.Pool({ connectionString: own.href, max: 2 });
    pool.on("error", () => {});
    const close = async () => {
      await pool.end();
      await admin.query(`drop database ${name} with (force)`);
      await admin.end();
    };
    return { db: database(postgres(pool)), close };
  },
  mariadb: async (url, name) => {
    const { default: mysql } = await needed("mysql2/promise", "Making a MariaDB database");
    const uri = url.replace(/^mariadb:/, "mysql:");
    const admin = await mysql.createConnection({ uri });
    await admin.query(`create database ${name}`);
    const own = new URL(uri);
    own.pathname = `/${name}`;
    const pool = mysql.createPool({ uri: own.href, connectionLimit: 2 });
    const close = async () => {
      await pool.end();
      await admin.query(`drop database ${name}`);
      await admin.end();
    };
    return { db: database(mariadb(pool)), close };
  },
};

/**
 * Makes an empty database of the same engine as one of the settings, beside it, and drops it where it is closed.
 * @throws GemachError `SCRATCH_UNABLE` where a function opens it, or where its user may not make one
 */
export async function openScratch(
  { settings: { databases } }: Pick<Project, "settings">,
  name: string,
): Promise<OpenedDatabase> {
  const given = databases[name];
  if (typeof given !== "string") throw toolError("SCRATCH_UNABLE", { database: name, reason: "a function opens it" });
  const make = makers[schemeOf(given)];
  try {
    if (make === undefined) throw new Error("its URL begins with no engine's name");
    return await make(given, `gemach_scratch_${randomBytes(6).toString("hex")}`);
  } catch (cause) {
    if (cause instanceof GemachError) throw cause;
    throw toolError("SCRATCH_UNABLE", { database: name, reason: (cause as Error).message }, { cause });
  }
}
