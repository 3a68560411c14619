import { randomBytes } from "node:crypto";
import mysql from "mysql2/promise";
import pg from "pg";
import { afterAll, beforeAll, inject, test } from "vitest";
import { mariadb } from "../../src/drivers/mariadb.js";
import { pglite } from "../../src/drivers/pglite.js";
import { postgres } from "../../src/drivers/postgres.js";
import { type SqliteHandle, sqlite } from "../../src/drivers/sqlite.js";
import { sqliteWasm } from "../../src/drivers/sqlite-wasm.js";
import { createTables, type Database, type DatabaseOptions, type Driver, database } from "../../src/index.js";
import { fill, lending, type Society } from "../../tools/src/demo/index.js";
import type { EngineName } from "./global-setup.js";
import { seed } from "./seed.js";
import { mariadbUrl, postgresUrl } from "./servers.js";
import { oddSettings } from "./settings.js";

/** An engine's empty database, made for one test file and dropped after it. */
export interface Engine {
  readonly name: string;
  /** A database value over it; settings may differ from call to call. */
  connect(options?: DatabaseOptions): Database;
  readonly driver: Driver;
  /** Where the database is, of a server. */
  readonly url?: string;
  /** Sends SQL past the library. */
  execute(sql: string): Promise<void>;
  /** The rows of SQL sent past the library. */
  rows(sql: string): Promise<readonly unknown[][]>;
  close(): Promise<void>;
}

/** A handle in memory, of better-sqlite3 or of Node's own package. */
async function sqliteHandle(name: "sqlite" | "node-sqlite"): Promise<SqliteHandle & { close(): unknown }> {
  if (name === "sqlite") return new (await import("better-sqlite3")).default(":memory:");
  // Not in the types of the oldest Node that is supported.
  const builtIn = "node:sqlite";
  const { DatabaseSync } = (await import(builtIn)) as {
    DatabaseSync: new (file: string) => SqliteHandle & { close(): unknown };
  };
  return new DatabaseSync(":memory:");
}

async function openSqlite(name: "sqlite" | "node-sqlite"): Promise<Engine> {
  const handle = await sqliteHandle(name);
  const driver = sqlite(handle);
  return {
    name,
    driver,
    connect: (options) => database(driver, options),
    execute: async (sql) => void handle.exec(sql),
    rows: async (sql) => (handle.prepare(sql).all() as object[]).map(Object.values),
    close: async () => void handle.close(),
  };
}

/** The SQLite project's own build for browsers, which runs in Node as well. */
async function openSqliteWasm(): Promise<Engine> {
  const module = await (await import("@sqlite.org/sqlite-wasm")).default();
  const handle = new module.oo1.DB(":memory:");
  const driver = sqliteWasm(handle, module);
  return {
    name: "wasm-sqlite",
    driver,
    connect: (options) => database(driver, options),
    execute: async (sql) => void handle.exec(sql),
    rows: async (sql) => handle.exec({ sql, rowMode: "array", returnValue: "resultRows" }) as unknown[][],
    close: async () => handle.close(),
  };
}

async function openPostgres(isOdd: boolean): Promise<Engine> {
  const name = `gemach_test_${process.pid}_${randomBytes(6).toString("hex")}`;
  const admin = new pg.Client({ connectionString: postgresUrl });
  await admin.connect();
  await admin.query(`create database ${name}`);
  const url = new URL(postgresUrl);
  url.pathname = `/${name}`;
  const pool = new pg.Pool({ connectionString: url.href, max: 4 });
  if (isOdd) pool.on("connect", (client) => void client.query(oddSettings("postgres", seed)));
  pool.on("error", () => {}); // dropping the database may end a connection that is still saying goodbye
  const driver = postgres(pool);
  return {
    name: "postgres",
    url: url.href,
    driver,
    connect: (options) => database(driver, options),
    execute: async (sql) => void (await pool.query(sql)),
    rows: async (sql) => (await pool.query({ text: sql, rowMode: "array" })).rows,
    close: async () => {
      await pool.end();
      await admin.query(`drop database ${name} with (force)`);
      await admin.end();
    },
  };
}

/** The files of a database that was just made: making one takes many times as long as opening these. */
let fresh: Promise<Blob> | undefined;

async function madeFiles(): Promise<Blob> {
  const { PGlite } = await import("@electric-sql/pglite");
  const made = await PGlite.create();
  const files = await made.dumpDataDir("none");
  await made.close();
  return files;
}

async function openPglite(): Promise<Engine> {
  const { PGlite } = await import("@electric-sql/pglite");
  fresh ??= madeFiles();
  const inProcess = await PGlite.create({ loadDataDir: await fresh });
  const driver = pglite(inProcess);
  return {
    name: "pglite",
    driver,
    connect: (options) => database(driver, options),
    execute: async (sql) => void (await inProcess.exec(sql)),
    rows: async (sql) => (await inProcess.query(sql, [], { rowMode: "array" })).rows as unknown[][],
    close: () => inProcess.close(),
  };
}

async function openMariadb(isOdd: boolean): Promise<Engine> {
  const name = `gemach_test_${process.pid}_${randomBytes(6).toString("hex")}`;
  const admin = await mysql.createConnection({ uri: mariadbUrl });
  await admin.query(`create database ${name}`);
  const url = new URL(mariadbUrl);
  url.pathname = `/${name}`;
  const pool = mysql.createPool({ uri: url.href, connectionLimit: 4, maxPreparedStatements: 500 });
  if (isOdd) pool.on("connection", (connection) => void connection.query(oddSettings("mariadb", seed)));
  const driver = mariadb(pool);
  return {
    name: "mariadb",
    url: url.href,
    driver,
    connect: (options) => database(driver, options),
    execute: async (sql) => void (await pool.query(sql)),
    rows: async (sql) => (await pool.query({ sql, rowsAsArray: true }))[0] as unknown[][],
    close: async () => {
      await pool.end();
      await admin.query(`drop database ${name}`);
      await admin.end();
    },
  };
}

const openers: Record<EngineName, (isOdd: boolean) => Promise<Engine>> = {
  sqlite: () => openSqlite("sqlite"),
  "node-sqlite": () => openSqlite("node-sqlite"),
  "wasm-sqlite": openSqliteWasm,
  pglite: openPglite,
  postgres: openPostgres,
  mariadb: openMariadb,
};

/** Opens every engine that the run has; call it at the top of a test file. `isOdd`: servers have settings of somebody else's. */
export function useEngines(isOdd = false): { readonly all: () => readonly Engine[]; readonly names: readonly string[] } {
  const names = inject("engines");
  const open: Engine[] = [];
  beforeAll(async () => {
    for (const name of names) open.push(await openers[name](isOdd));
  });
  afterAll(async () => {
    for (const engine of open) await engine.close();
  });
  return { all: () => open, names };
}

/** Every engine with the tables of the lending society and a society's rows. */
export function useSociety(society: Society): () => readonly Engine[] {
  const { all } = useEngines();
  beforeAll(async () => {
    for (const engine of all()) {
      const db = engine.connect();
      await createTables(db, lending);
      await fill(db, society);
    }
  });
  return all;
}

/** A test of its own for each engine; `timeout` in milliseconds, where many cases may be asked for. */
export function eachEngine(all: () => readonly Engine[], what: string, work: (db: Database, engine: Engine) => Promise<void>, timeout?: number): void {
  for (const [at, name] of inject("engines").entries()) {
    const run = () => {
      const engine = all()[at] as Engine;
      return work(engine.connect(), engine);
    };
    test(`${what}, on ${name}`, run, timeout);
  }
}
