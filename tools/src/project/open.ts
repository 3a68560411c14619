import { existsSync } from "node:fs";
import { resolve } from "node:path";
import { type Driver, database, GemachError } from "gemach";
import type { OpenedDatabase } from "gemach/config";
import { mariadb } from "gemach/mariadb";
import { pglite } from "gemach/pglite";
import { postgres } from "gemach/postgres";
import { sqlite } from "gemach/sqlite";
import { toolError } from "gemach/tooling";
import type { Project } from "./load.js";
import { openSqlite, optional } from "./open-sqlite.js";

// biome-ignore lint/suspicious/noExplicitAny: packages that may not be installed
type Package = any;

/**
 * A package that a command cannot do without.
 * @throws GemachError `PACKAGE_MISSING`
 */
export async function needed(name: string, purpose: string): Promise<Package> {
  const found = await optional<Package>(name);
  if (found === undefined) throw new GemachError("PACKAGE_MISSING", { package: name, purpose });
  return found;
}

interface Opened {
  readonly driver: Driver;
  readonly close: () => unknown;
}

const openers: Readonly<Record<string, (url: string, folder: string, mayCreate: boolean) => Promise<Opened>>> = {
  sqlite: async (url, folder, mayCreate) => {
    const file = url.slice("sqlite:".length);
    const path = file === ":memory:" ? file : resolve(folder, file);
    if (file !== ":memory:" && !mayCreate && !existsSync(path))
      throw new GemachError("FILE_UNUSABLE", { file: path, reason: "it does not exist" });
    const handle = await openSqlite(path);
    return { driver: sqlite(handle), close: () => handle.close() };
  },
  postgres: async (url) => {
    const { default: pg } = await needed("pg", "Opening a PostgreSQL database");
    const pool = new pg.Pool({ connectionString: url, max: 4 });
    pool.on("error", () => {});
    return { driver: postgres(pool), close: () => pool.end() };
  },
  mariadb: async (url) => {
    const { default: mysql } = await needed("mysql2/promise", "Opening a MariaDB database");
    const pool = mysql.createPool({ uri: url.replace(/^mariadb:/, "mysql:"), connectionLimit: 4 });
    return { driver: mariadb(pool), close: () => pool.end() };
  },
  pglite: async (url, folder) => {
    const { PGlite } = await needed("@electric-sql/pglite", "Opening a database of PGlite");
    const path = url.slice("pglite:".length);
    const handle = new PGlite(path === "" ? undefined : resolve(folder, path));
    return { driver: pglite(handle), close: () => handle.close() };
  },
};

const schemes: Readonly<Record<string, string>> = { postgresql: "postgres", mysql: "mariadb" };

/** The scheme of a URL, as this program calls it. */
export function schemeOf(url: string): string {
  const [scheme = ""] = url.split(":");
  return schemes[scheme] ?? scheme;
}

/**
 * Opens a database of a project's settings; the first where none is named.
 * @param mayCreate whether a file of SQLite's that is not there is made, for tables to come.
 * @throws GemachError `DATABASE_UNKNOWN`, `SETTINGS_INVALID` for a URL that no engine has, `PACKAGE_MISSING`,
 * `FILE_UNUSABLE`
 */
export async function openDatabase(
  { settings: { databases }, folder }: Pick<Project, "settings" | "folder">,
  name: string | undefined,
  mayCreate = false,
): Promise<OpenedDatabase & { readonly name: string }> {
  const known = Object.keys(databases);
  const chosen = name ?? (known[0] as string);
  const given = Object.hasOwn(databases, chosen) ? databases[chosen] : undefined;
  if (given === undefined) throw toolError("DATABASE_UNKNOWN", { name: chosen, known });
  if (typeof given === "function") {
    const opened = await given();
    return { ...opened, name: chosen };
  }
  const open = openers[schemeOf(given)];
  if (open === undefined) {
    const reason = `the URL of the database '${chosen}' begins with none of ${Object.keys(openers).join(":, ")}:`;
    throw toolError("SETTINGS_INVALID", { file: "gemach.config.ts", reason });
  }
  const { driver, close } = await open(given, folder, mayCreate);
  return { db: database(driver), close, name: chosen };
}

/** What the URLs of the settings' databases begin with; undefined for one that a function opens. */
export const schemesOf = ({ databases }: Project["settings"]): readonly (string | undefined)[] =>
  Object.values(databases).map((given) => (typeof given === "string" ? schemeOf(given) : undefined));
