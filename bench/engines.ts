import { PGlite } from "@electric-sql/pglite";
import Sqlite from "better-sqlite3";
import mysql from "mysql2/promise";
import pg from "pg";
import { mariadb } from "../src/drivers/mariadb.js";
import { pglite } from "../src/drivers/pglite.js";
import { postgres } from "../src/drivers/postgres.js";
import { sqlite } from "../src/drivers/sqlite.js";
import { createTables, type Database, type Driver, database } from "../src/index.js";
import { fill, lending, type Society } from "../tools/src/demo/index.js";
import { distant } from "./distance.js";
import { type Hand, loan, type Send } from "./hand.js";

/** How far servers are taken to be, one way, in milliseconds. */
const distance = Number(process.env.GEMACH_DISTANCE ?? 0);

const loanInto = ["item_id", "member_id", "due", "returned"];

/** A transaction by hand, over a way to send. */
const transactionBy =
  (open: () => Promise<{ readonly send: Send; close(): void }>): Hand["transaction"] =>
  async (work, isKept) => {
    const { send, close } = await open();
    try {
      await send("begin", "begin", []);
      await work(send);
      await send(isKept ? "commit" : "rollback", isKept ? "commit" : "rollback", []);
    } finally {
      close();
    }
  };

/** An engine with a society's rows, for both hands. */
export interface Bench {
  readonly name: string;
  readonly db: Database;
  readonly driver: Driver;
  readonly hand: Hand;
  close(): Promise<void>;
}

/** Opens an engine with a society's rows; undefined where no server answers. */
export type Open = (society: Rows) => Promise<Bench | undefined>;

/** The rows of a society, or what makes and fills other tables. */
export type Rows = Society | ((db: Database) => Promise<void>);

async function filled(db: Database, rows: Rows): Promise<Database> {
  if (typeof rows === "function") {
    await rows(db);
    return db;
  }
  await createTables(db, lending);
  await fill(db, rows);
  return db;
}

const order = "order by loan.due desc, loan.id desc";

export const openSqlite: Open = async (society) => {
  const handle = new Sqlite(":memory:");
  const prepared = new Map<string, Sqlite.Statement>();
  const statement = (name: string, text: string) => {
    let known = prepared.get(name);
    if (known === undefined) {
      known = handle.prepare(text);
      if (known.reader) known.raw();
      prepared.set(name, known);
    }
    return known;
  };
  const sendNow = (name: string, text: string, values: readonly unknown[]): never[][] => {
    const one = statement(name, text);
    if (one.reader) return one.all(...values) as never[][];
    one.run(...values);
    return [];
  };
  const driver = sqlite(handle);
  const send: Send = async (name, text, values) => sendNow(name, text, values);
  const db = await filled(database(driver, { roundTrip: 2 * distance }), society);
  handle.exec("analyze");
  return {
    name: "SQLite",
    driver,
    db,
    hand: {
      send,
      place: "?",
      among: (column) => `${column} in (select value from json_each(?))`,
      keys: (keys) => JSON.stringify(keys),
      truth: (wire) => wire === 1,
      overwriting: onConflict,
      list: (items) => `json_array(${items})`,
      lists: (list, sorted) => `json_group_array(${list} order by ${sorted})`,
      newest: `select ${loan()} from json_each(?) as owner join loan on loan.id in (select loan.id from loan where loan.item_id = owner.value ${order} limit +?) ${order}`,
      newestValues: (keys) => [keys, 3],
      transaction: transactionBy(async () => ({ send, close: () => {} })),
      // 64 a statement: 0.65 of the time of one a statement, and no less with more.
      insert: inValues(64),
    },
    close: async () => void handle.close(),
  };
};

const overwritten = (proposed: (column: string) => string): string =>
  loanInto.map((column) => `${column} = ${proposed(column)}`).join(", ");
const onConflict = ` on conflict (id) do update set ${overwritten((column) => `excluded.${column}`)}`;

/** Rows by statements of so many rows; what is left by single ones. */
const inValues =
  (size: number): Hand["insert"] =>
  async (send, rows, { columns = loanInto, end = "", name = "" } = {}) => {
    const found: (readonly unknown[])[] = [];
    for (let at = 0; at < rows.length; ) {
      const count = rows.length - at >= size ? size : 1;
      const some = rows.slice(at, at + count);
      const places = `(${columns.map(() => "?").join(", ")})`;
      const text = `insert into loan (${columns.join(", ")}) values ${some.map(() => places).join(", ")}${end}`;
      for (const row of await send(`insert ${name} ${count}`, text, some.flat())) found.push(row);
      at += count;
    }
    return found;
  };

const postgresHand = {
  overwriting: onConflict,
  place: "$1",
  among: (column: string) => `${column} = any ($1::integer[])`,
  list: (items: string) => `json_build_array(${items})`,
  lists: (list: string, sorted: string) => `json_agg(${list} order by ${sorted})`,
  newest: `select ${loan()} from unnest($1::integer[]) as owner (key) cross join lateral (select ${loan()} from loan where loan.item_id = owner.key ${order} limit $2) as loan ${order}`,
  newestValues: (keys: unknown) => [keys, 3],
  insert: (async (send, rows, { columns = loanInto, end = "", name = "" } = {}) => {
    const arrays = columns.map((column, i) => `$${i + 1}::${/id$/.test(column) ? "integer" : "date"}[]`).join(", ");
    const text = `insert into loan (${columns.join(", ")}) select * from unnest(${arrays})${end}`;
    return await send(
      `insert ${name}`,
      text,
      columns.map((_, at) => rows.map((row) => row[at])),
    );
  }) satisfies Hand["insert"],
};

/** A new database of a PostgreSQL server; undefined where none answers. */
export async function newPostgres(): Promise<{ readonly pool: pg.Pool; close(): Promise<void> } | undefined> {
  const url = new URL(process.env.GEMACH_POSTGRES_URL ?? "postgres://postgres@127.0.0.1:5432/postgres");
  const name = `gemach_bench_${process.pid}_${Date.now()}`;
  const admin = new pg.Client({ connectionString: url.href });
  const far = await distant(url, distance);
  try {
    await admin.connect();
  } catch {
    return undefined;
  }
  await admin.query(`create database ${name}`);
  far.url.pathname = `/${name}`;
  const pool = new pg.Pool({ connectionString: far.url.href, max: 8 });
  pool.on("error", () => {});
  const close = async () => {
    await pool.end();
    far.close();
    await admin.query(`drop database ${name} with (force)`);
    await admin.end();
  };
  return { pool, close };
}

export const openPostgres: Open = async (society) => {
  const made = await newPostgres();
  if (made === undefined) return undefined;
  const { pool, close } = made;
  const driver = postgres(pool, { prepare: process.env.GEMACH_PREPARE !== "0" });
  const db = await filled(database(driver, { roundTrip: 2 * distance }), society);
  await pool.query("analyze");
  return {
    name: "PostgreSQL",
    driver,
    db,
    hand: {
      ...postgresHand,
      send: async (query, text, values) =>
        (await pool.query({ name: query, text, values: [...values], rowMode: "array" })).rows as never[][],
      keys: (keys) => keys,
      truth: (wire) => wire,
      transaction: transactionBy(async () => {
        const client = await pool.connect();
        return {
          send: async (query, text, values) =>
            (await client.query({ name: query, text, values: [...values], rowMode: "array" })).rows as never[][],
          close: () => client.release(),
        };
      }),
    },
    close,
  };
};

export const openPglite: Open = async (society) => {
  const inProcess = new PGlite();
  const driver = pglite(inProcess);
  const db = await filled(database(driver, { roundTrip: 2 * distance }), society);
  await inProcess.exec("analyze");
  const options = { rowMode: "array", parsers: { 1082: (value: string) => value } } as const;
  return {
    name: "PGlite",
    driver,
    db,
    hand: {
      ...postgresHand,
      send: async (_, text, values) => (await inProcess.query(text, [...values], options)).rows as never[][],
      keys: (keys) => keys,
      truth: (wire) => wire,
      transaction: transactionBy(async () => ({
        send: async (_, text, values) => (await inProcess.query(text, [...values], options)).rows as never[][],
        close: () => {},
      })),
    },
    close: () => inProcess.close(),
  };
};

/** What writes gives no rows. */
const rowsIn = (answer: unknown): readonly never[][] => (Array.isArray(answer) ? (answer as never[][]) : []);

export const openMariadb: Open = async (society) => {
  const url = new URL(process.env.GEMACH_MARIADB_URL ?? "mysql://root@127.0.0.1:3306/");
  const name = `gemach_bench_${process.pid}_${Date.now()}`;
  let admin: mysql.Connection;
  try {
    admin = await mysql.createConnection({ uri: url.href });
  } catch {
    return undefined;
  }
  await admin.query(`create database ${name}`);
  const far = await distant(url, distance);
  far.url.pathname = `/${name}`;
  const pool = mysql.createPool({ uri: far.url.href, connectionLimit: 8 });
  const driver = mariadb(pool);
  const db = await filled(database(driver, { roundTrip: 2 * distance }), society);
  const nth = (n: number) =>
    `(select loan.id from loan where loan.item_id = owner.id ${order} limit 1${n === 0 ? "" : ` offset ${n}`})`;
  return {
    name: "MariaDB",
    driver,
    db,
    hand: {
      send: async (_, sql, values) =>
        rowsIn((await pool.execute({ sql, values: [...values] as never[], rowsAsArray: true, dateStrings: true }))[0]),
      place: "?",
      among: (column) => `${column} in (select id from json_table(?, '$[*]' columns (id int path '$')) as listed)`,
      keys: (keys) => JSON.stringify(keys),
      truth: (wire) => wire === 1,
      overwriting: ` on duplicate key update ${overwritten((column) => `values(${column})`)}`,
      list: (items) => `json_array(${items})`,
      lists: (list, sorted) => `json_arrayagg(${list} order by ${sorted})`,
      newest: `select ${loan()} from json_table(?, '$[*]' columns (id int path '$')) as owner cross join (select 0 as n union all select 1 union all select 2) as nth join loan on loan.id = case nth.n when 0 then ${nth(0)} when 1 then ${nth(1)} else ${nth(2)} end ${order}`,
      newestValues: (keys) => [keys],
      transaction: transactionBy(async () => {
        const connection = await pool.getConnection();
        return {
          send: async (_, sql, values) => {
            const settings = { sql, values: [...values] as never[], rowsAsArray: true, dateStrings: true };
            const [rows] = await (values.length === 0 ? connection.query(settings) : connection.execute(settings));
            return rowsIn(rows);
          },
          close: () => connection.release(),
        };
      }),
      insert: inValues(1000),
    },
    close: async () => {
      await pool.end();
      far.close();
      await admin.query(`drop database ${name}`);
      await admin.end();
    },
  };
};
