import { type Database, database } from "gemach";

/** The desk's database, and what closes it. */
export interface OpenDatabase {
  readonly db: Database;
  readonly close: () => Promise<void>;
}

/** The tables were made by this application's migrations, so that its foreign keys can be relied on. */
const options = { trustConstraints: true } as const;

/** Opens what a URL names: `sqlite:file`, `postgres://…`, `mariadb://…`. Only the package that is needed is loaded. */
export async function openDatabase(url: string): Promise<OpenDatabase> {
  if (url.startsWith("sqlite:")) {
    const [{ default: Sqlite }, { sqlite }] = await Promise.all([import("better-sqlite3"), import("gemach/sqlite")]);
    const handle = new Sqlite(url.slice("sqlite:".length));
    return { db: database(sqlite(handle), options), close: async () => void handle.close() };
  }
  const { protocol } = new URL(url);
  if (protocol === "postgres:" || protocol === "postgresql:") {
    const [{ default: pg }, { postgres }] = await Promise.all([import("pg"), import("gemach/postgres")]);
    const pool = new pg.Pool({ connectionString: url, max: 5 });
    return { db: database(postgres(pool), options), close: () => pool.end() };
  }
  if (protocol === "mariadb:" || protocol === "mysql:") {
    const [{ createPool }, { mariadb }] = await Promise.all([import("mysql2/promise"), import("gemach/mariadb")]);
    const pool = createPool({ uri: url.replace(/^mariadb:/, "mysql:"), connectionLimit: 5 });
    return { db: database(mariadb(pool), options), close: () => pool.end() };
  }
  throw new Error(`FRONT_DESK_DATABASE is none of sqlite:file, postgres://… and mariadb://…: ${protocol}`);
}
