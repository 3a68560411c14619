import Sqlite from "better-sqlite3";
import pg from "pg";
import { fill, lending } from "../src/demo/index.js";
import { postgres } from "../src/drivers/postgres.js";
import { sqlite } from "../src/drivers/sqlite.js";
import { type Database, database, layOut } from "../src/index.js";
import { type Hand, society } from "./jobs.js";

/** An engine with the society's rows, for both hands. */
export interface Bench {
  readonly name: string;
  readonly db: Database;
  readonly hand: Hand;
  close(): Promise<void>;
}

async function filled(db: Database): Promise<Database> {
  await layOut(db, lending);
  await fill(db, society());
  return db;
}

export async function benchSqlite(): Promise<Bench> {
  const handle = new Sqlite(":memory:");
  const prepared = new Map<string, Sqlite.Statement>();
  const statement = (name: string, text: string) => {
    const known = prepared.get(name) ?? handle.prepare(text).raw();
    prepared.set(name, known);
    return known;
  };
  return {
    name: "SQLite",
    db: await filled(database(sqlite(handle))),
    hand: {
      send: async (name, text, values) => statement(name, text).all(...values) as never[][],
      among: (column) => `${column} in (select value from json_each(?))`,
      keys: (keys) => JSON.stringify(keys),
      whole: (wire) => wire,
      truth: (wire) => wire === 1,
    },
    close: async () => void handle.close(),
  };
}

/** Undefined where no server answers. */
export async function benchPostgres(): Promise<Bench | undefined> {
  const url = new URL(process.env.GEMACH_POSTGRES_URL ?? "postgres://postgres@127.0.0.1:5432/postgres");
  const name = `gemach_bench_${process.pid}`;
  const admin = new pg.Client({ connectionString: url.href });
  try {
    await admin.connect();
  } catch {
    return undefined;
  }
  await admin.query(`create database ${name}`);
  url.pathname = `/${name}`;
  const pool = new pg.Pool({ connectionString: url.href });
  pool.on("error", () => {});
  const db = await filled(database(postgres(pool)));
  await pool.query("analyze");
  return {
    name: "PostgreSQL",
    db,
    hand: {
      send: async (query, text, values) =>
        (await pool.query({ name: query, text, values: [...values], rowMode: "array" })).rows as never[][],
      among: (column) => `${column} = any ($1::integer[])`,
      keys: (keys) => keys,
      whole: (wire) => wire,
      truth: (wire) => wire,
    },
    close: async () => {
      await pool.end();
      await admin.query(`drop database ${name} with (force)`);
      await admin.end();
    },
  };
}
