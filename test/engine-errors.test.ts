import { randomBytes } from "node:crypto";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { createServer } from "node:net";
import { tmpdir } from "node:os";
import { join } from "node:path";
import Sqlite from "better-sqlite3";
import callbacks from "mysql2";
import mysql from "mysql2/promise";
import pg from "pg";
import { beforeAll, describe, expect, inject, test } from "vitest";
import { mariadb } from "../src/drivers/mariadb.js";
import { pglite } from "../src/drivers/pglite.js";
import { postgres } from "../src/drivers/postgres.js";
import { sqlite } from "../src/drivers/sqlite.js";
import { sqliteWasm } from "../src/drivers/sqlite-wasm.js";
import {
  and,
  bigint,
  bytes,
  createTables,
  type Database,
  database,
  date,
  double,
  entity,
  from,
  GemachError,
  identity,
  integer,
  isoTimestamp,
  model,
  numeric,
  type Query,
  sql,
  text,
  time,
  timestamp,
} from "../src/index.js";
import { generate, lending } from "../tools/src/demo/index.js";
import { eachEngine, useSociety } from "./support/engines.js";
import { mariadbUrl, postgresUrl } from "./support/servers.js";
import { oddCount, oddSettings } from "./support/settings.js";

const { Depot, Loan } = lending;
const society = generate(2);
const all = useSociety(society);
const { Shed, Short } = model({
  Shed: entity("shed", { id: identity, name: text }),
  Short: entity("district", { id: identity, nickname: text }),
});
const depot = { districtId: 1, name: "Elm Yard", town: "Carrow" };
const emptied = { ...depot, name: null as unknown as string };

beforeAll(async () => {
  for (const engine of all()) {
    await engine.execute("create table strict_day (id integer primary key, label varchar(20) unique, check (label <> 'x'))");
  }
});
const { StrictDay } = model({ StrictDay: entity("strict_day", { id: identity, label: text }) });

/** What is done, and what the error must say besides having the engine's own as its cause. */
const faults: readonly (readonly [what: string, act: (db: Database) => Promise<unknown>, code: string, words: string])[] = [
  ["a missing table", (db) => db.list(from(Shed)), "TABLE_MISSING", "'shed'"],
  ["a missing column", (db) => db.list(from(Short)), "COLUMN_MISSING", "nickname"],
  ["a key that is taken", (db) => db.insert(Depot, [{ id: 1, ...depot }]), "UNIQUE_VIOLATED", "unique value"],
  [
    "a unique value that is taken",
    (db) =>
      db.insert(
        StrictDay,
        [1, 2].map((id) => ({ id, label: "y" })),
      ),
    "UNIQUE_VIOLATED",
    "label",
  ],
  [
    "a key that leads nowhere",
    (db) => db.insert(Loan, [{ itemId: 99999, memberId: 1, due: "2026-01-01" }]),
    "FOREIGN_KEY_VIOLATED",
    "refers to a row that does not exist",
  ],
  ["a rule that is broken", (db) => db.insert(StrictDay, [{ id: 1, label: "x" }]), "CHECK_VIOLATED", "rule"],
];

test.each(faults)("%s", async (_, act, code, words) => {
  for (const engine of all()) {
    const error: unknown = await act(engine.connect()).catch((caught: unknown) => caught);
    expect(error, engine.name).toBeInstanceOf(GemachError);
    expect(error, engine.name).toMatchObject({
      code,
      message: expect.stringContaining(words),
      cause: expect.any(Error),
    });
    expect((error as GemachError).serverCode, engine.name).toBeTruthy();
  }
});

/** What tables of others refuse of what the model allows: what makes each of them so, by engine, and the fault. */
const barred = {
  "a number that the database always hands out": {
    postgres: ["create table shed (id integer generated always as identity primary key, name text)"],
    code: "WRITE_BARRED",
  },
  "a column that the database computes": {
    postgres: ["create table shed (id integer primary key, name text generated always as ('x') stored)"],
    mariadb: ["create table shed (id integer primary key, name varchar(9) generated always as ('x') stored)"],
    sqlite: ["create table shed (id integer primary key, name text generated always as ('x') stored)"],
    code: "WRITE_BARRED",
  },
  "a view": {
    postgres: ["create view shed as select id, max(name) as name from depot group by id"],
    mariadb: ["create view shed as select id, max(name) as name from depot group by id"],
    sqlite: ["create view shed as select id, name from depot"],
    code: "WRITE_BARRED",
  },
  "a text that is too long": {
    postgres: ["create table shed (id integer primary key, name varchar(5))"],
    mariadb: ["create table shed (id integer primary key, name varchar(5))"],
    sqlite: ["create table shed (id integer primary key, name integer) strict"],
    code: "VALUE_BEYOND_COLUMN",
  },
  "a number that is too large": {
    postgres: ["create table shed (id smallint primary key, name text)"],
    mariadb: ["create table shed (id smallint primary key, name text)"],
    code: "VALUE_BEYOND_COLUMN",
  },
  "a trigger": {
    postgres: [
      "create table shed (id integer primary key, name text)",
      "create or replace function never() returns trigger language plpgsql as 'begin raise exception ''never''; end'",
      "create trigger never before insert on shed for each row execute function never()",
    ],
    mariadb: [
      "create table shed (id integer primary key, name text)",
      "create trigger never before insert on shed for each row signal sqlstate '45000' set message_text = 'never'",
    ],
    sqlite: ["create table shed (id integer primary key, name text)", "create trigger never before insert on shed begin select raise(abort, 'never'); end"],
    code: "TRIGGER_REFUSED",
  },
} as const;

describe.each(Object.entries(barred))("%s refuses a row", (_, made) => {
  eachEngine(all, "in words that say so, and without its values", async (db, { name, execute }) => {
    const engine = name === "pglite" ? "postgres" : name.endsWith("sqlite") ? "sqlite" : name;
    const statements = (made as Readonly<Record<string, unknown>>)[engine] as readonly string[] | undefined;
    if (statements === undefined) return;
    for (const statement of statements) await execute(statement);
    const error: unknown = await db.insert(Shed, [{ id: 70_000, name: "s3cret" }]).catch((caught: unknown) => caught);
    await execute(`drop ${statements[0]?.startsWith("create view") ? "view" : "table"} shed`);
    expect(error).toMatchObject({ code: made.code, serverCode: expect.any(String), cause: expect.any(Error) });
    expect((error as Error).message).not.toContain("s3cret");
  });
});

test("a user without the privilege, and a server that takes no writes or no more connections, say so", async () => {
  for (const { name, url, execute, connect } of all()) {
    const clerk = `gemach_clerk_${randomBytes(4).toString("hex")}`;
    if (url === undefined || !["postgres", "mariadb"].includes(name)) continue;
    const own = new URL(url);
    own.username = clerk;
    const isPostgres = name === "postgres";
    await execute(isPostgres ? `create role ${clerk} login connection limit 1` : `create user ${clerk} with max_user_connections 1`);
    await execute(`grant select on depot to ${clerk}`);
    const open = () => {
      if (isPostgres) {
        const pool = new pg.Pool({ connectionString: own.href, max: 1 });
        return { db: database(postgres(pool)), end: () => pool.end() };
      }
      const pool = mysql.createPool({ uri: own.href, connectionLimit: 1 });
      return { db: database(mariadb(pool)), end: () => pool.end() };
    };
    const [one, other] = [open(), open()];
    try {
      expect(await one.db.count(from(Depot))).toBeGreaterThan(0);
      await expect(one.db.insert(Depot, [depot]), name).rejects.toMatchObject({ code: "PERMISSION_DENIED" });
      await expect(other.db.count(from(Depot)), name).rejects.toMatchObject({ code: "SERVER_UNREADY" });
      const reading = connect().transaction(
        async (tx) => {
          await tx.send(isPostgres ? sql.command`set transaction read only` : sql.command`select 1`);
          await tx.insert(Depot, [depot]);
        },
        isPostgres ? {} : { readOnly: true },
      );
      await expect(reading, name).rejects.toMatchObject({ code: isPostgres ? "SERVER_READ_ONLY" : "TRANSACTION_READ_ONLY" });
    } finally {
      await Promise.all([one.end(), other.end()]);
      if (isPostgres) await execute(`drop owned by ${clerk}`);
      await execute(`drop ${isPostgres ? "role" : "user"} ${clerk}`);
    }
  }
});

eachEngine(all, "what the model forbids is refused before anything is sent", async (db) => {
  await expect(db.insert(Depot, [emptied])).rejects.toMatchObject({
    code: "VALUE_UNFIT",
    names: { column: "Depot.name" },
  });
  const missing = { districtId: 1, name: "x" } as typeof depot;
  await expect(db.insert(Depot, [missing])).rejects.toMatchObject({
    code: "COLUMN_WITHOUT_VALUE",
    names: { column: "Depot.town" },
  });
  const unknown = { ...depot, colour: "red" };
  await expect(db.insert(Depot, [unknown])).rejects.toMatchObject({
    code: "NAME_UNKNOWN",
    names: { name: "colour" },
  });
});

eachEngine(all, "an insert that fails leaves nothing behind, and identities go on after those that were given", async (db) => {
  const before = await db.count(from(Depot));
  await expect(
    db.insert(Depot, [
      { id: 901, ...depot },
      { id: 901, ...depot },
    ]),
  ).rejects.toMatchObject({ code: "UNIQUE_VIOLATED" });
  expect(await db.count(from(Depot))).toBe(before);
  expect(await db.insert(Depot, [])).toBe(0);
  expect(await db.insert(Depot, [{ id: 902, ...depot }])).toBe(1);
  expect(await db.insert(Depot, [depot])).toBe(1);
  expect(await db.count(from(Depot).where((d) => d.id.is(903)))).toBe(1);
});

eachEngine(all, "a whole number that a JavaScript number cannot hold is an error, not a rounding", async (_, engine) => {
  await engine.execute("create table shed (id bigint primary key, name text)");
  await engine.execute("insert into shed values (9007199254740993, 'x')");
  await expect(engine.connect().list(from(Shed))).rejects.toMatchObject({ code: "VALUE_LOSSY", names: { column: "Shed.id" } });
  await engine.execute("drop table shed");
  // A value that is none of its kind names the column, and the row by its number.
  await engine.execute("create table hut (id integer primary key, name text)");
  await engine.execute("insert into hut values (7, 'high noon')");
  const { Hut } = model({ Hut: entity("hut", { id: integer.key, opens: time.named("name") }) });
  const queries: Query[] = [from(Hut), from(Hut).select((h) => ({ hut: { opens: h.opens } }))];
  for (const query of queries) await expect(engine.connect().list(query)).rejects.toMatchObject({ code: "VALUE_UNREADABLE", names: { kind: "time" } });
  await expect(engine.connect().list(from(Hut))).rejects.toThrow("The value of Hut.opens in the row with id 7");
  await engine.execute("drop table hut");
});

eachEngine(all, "a table that is made anew, with a column of another type, is written and asked by the same statements", async (db, engine) => {
  const columns = [date, integer, text, timestamp, numeric(9, 2), date];
  const values = ["2026-05-01", 7, "seven", new Date(0), "7.00", "2026-05-02"];
  for (const [i, column] of columns.entries()) {
    const { Changing } = model({ Changing: entity("changing", { id: identity, it: column as typeof text }) });
    const given = { id: 1, it: values[i] as string };
    await createTables(db, { Changing });
    await db.insert(Changing, [given]);
    expect(await db.list(from(Changing).where((c) => c.it.is(given.it)))).toEqual([given]);
    await engine.execute("drop table changing");
  }
});

eachEngine(all, "laying out a second time changes nothing", async (db) => {
  const rows = await db.list(from(Loan));
  await createTables(db, lending);
  expect(await db.list(from(Loan))).toStrictEqual(rows);
});

describe("SQLite files", () => {
  const folder = mkdtempSync(join(tmpdir(), "gemach-"));

  test("a file that is no database", () => {
    const file = join(folder, "notes.txt");
    writeFileSync(file, "x".repeat(5000));
    const handle = new Sqlite(file);
    expect(() => sqlite(handle)).toThrow(expect.objectContaining({ code: "FILE_UNUSABLE", message: expect.stringContaining(file) }));
    handle.close();
  });

  test("a file that may only be read", async () => {
    const file = join(folder, "read-only.sqlite");
    const handle = new Sqlite(file);
    await createTables(database(sqlite(handle)), lending);
    handle.close();
    const reader = new Sqlite(file, { readonly: true });
    const db = database(sqlite(reader));
    expect(await db.count(from(Depot))).toBe(0);
    await expect(db.insert(Depot, [{ id: 1, ...depot }])).rejects.toMatchObject({ code: "FILE_UNUSABLE" });
    reader.close();
  });

  test("a file that another connection locks", async () => {
    const file = join(folder, "busy.sqlite");
    const [one, other] = [new Sqlite(file), new Sqlite(file, { timeout: 0 })];
    await createTables(database(sqlite(one)), lending);
    const db = database(sqlite(other));
    one.exec("begin immediate");
    await expect(db.insert(lending.District, [{ name: "Millside" }])).rejects.toMatchObject({ code: "BUSY" });
    one.exec("commit");
    expect(await db.insert(lending.District, [{ name: "Millside" }])).toBe(1);
    for (const handle of [one, other]) handle.close();
    rmSync(folder, { recursive: true });
  });

  test("files are in WAL mode and enforce foreign keys", () => {
    const file = join(mkdtempSync(join(tmpdir(), "gemach-")), "wal.sqlite");
    const handle = new Sqlite(file);
    sqlite(handle);
    expect([handle.pragma("journal_mode", { simple: true }), handle.pragma("foreign_keys", { simple: true })]).toEqual(["wal", 1]);
    handle.close();
  });
});

test("a server that is not there", async () => {
  const port = await new Promise<number>((resolve) => {
    const server = createServer().listen(0, "127.0.0.1", () => {
      const address = server.address() as { port: number };
      server.close(() => resolve(address.port));
    });
  });
  const account = { host: "127.0.0.1", port, user: "keeper", password: "open-sesame" };
  const [pgPool, mariadbPool] = [new pg.Pool(account), mysql.createPool(account)];
  for (const driver of [postgres(pgPool), mariadb(mariadbPool)]) {
    const db = database(driver);
    const act = [() => db.count(from(Depot)), () => createTables(db, lending)];
    for (const attempt of act) {
      const error = await attempt().catch((caught: unknown) => caught);
      expect(error).toMatchObject({ code: "CONNECTION_REFUSED", names: { host: "127.0.0.1", port } });
      expect((error as GemachError).message).not.toContain("sesame");
    }
  }
  await Promise.all([pgPool.end(), mariadbPool.end()]);
});

test.runIf(inject("engines").includes("postgres"))("a database that is not there", async () => {
  const [pgUrl, mariadbAddress] = [new URL(postgresUrl), new URL(mariadbUrl)];
  for (const url of [pgUrl, mariadbAddress]) url.pathname = "/gemach_no_such_database";
  const [pgPool, mariadbPool] = [new pg.Pool({ connectionString: pgUrl.href }), mysql.createPool(mariadbAddress.href)];
  for (const driver of [postgres(pgPool), mariadb(mariadbPool)])
    await expect(database(driver).count(from(Depot))).rejects.toMatchObject({
      code: "CONNECTION_DENIED",
      names: { database: "gemach_no_such_database" },
    });
  await Promise.all([pgPool.end(), mariadbPool.end()]);
});

test.runIf(inject("engines").includes("postgres"))("statements are prepared by name on PostgreSQL, unless turned off", async () => {
  const pool = new pg.Pool({ connectionString: postgresUrl, max: 1 });
  const count = async () => Number((await pool.query("select count(*) from pg_prepared_statements where name like 'gemach%'")).rows[0].count);
  await pool.query("create temporary table shed (id integer, name text)");
  const unprepared = database(postgres(pool, { prepare: false }));
  await unprepared.list(from(Shed));
  expect(await count()).toBe(0);
  for (const db of [database(postgres(pool)), database(postgres(pool))]) for (let i = 0; i < 3; i++) await db.list(from(Shed).where((s) => s.id.is(i)));
  expect(await count()).toBe(1);
  // Of many texts those that were sent last are kept; one that is sent once is not prepared at all.
  const db = database(postgres(pool));
  const shedBy = (bits: number) =>
    from(Shed).where((s) => and(...Array.from({ length: 10 }, (_, i) => (bits & (1 << i) ? s.name.is("x") : s.name.isNot("x")))));
  for (let bits = 0; bits < 20; bits++) await db.list(shedBy(bits));
  expect(await count()).toBe(1);
  for (let bits = 0; bits < 620; bits++) for (let times = 0; times < 2; times++) await db.list(shedBy(bits));
  expect(await count()).toBeLessThanOrEqual(500);
  expect(await count()).toBeGreaterThan(400);
  await db.list(shedBy(0));
  // An error of the statement leaves the connection as it was.
  await expect(db.list(sql.rows({ id: integer })`select 1 / 0`)).rejects.toMatchObject({ code: "STATEMENT_REFUSED" });
  expect(await count()).toBeGreaterThan(400);
  await pool.end();
});

test("what a trigger or a full disk says is not hidden by the end of the transaction", async () => {
  const handle = new Sqlite(":memory:");
  const db = database(sqlite(handle));
  const room = model({ Room: entity("room", { id: identity, name: text, number: integer }) });
  const { Room } = room;
  await createTables(db, room);
  handle.exec("create trigger no_13 before insert on room when new.number = 13 begin select raise(rollback, 'never thirteen'); end");
  const rows = Array.from({ length: 3000 }, () => ({ name: "x".repeat(2000), number: 1 }));
  await expect(db.insert(Room, [...rows, { name: "x", number: 13 }])).rejects.toMatchObject({ code: "TRIGGER_REFUSED", names: { reason: "never thirteen" } });
  handle.pragma("max_page_count = 100");
  await expect(db.insert(Room, rows)).rejects.toMatchObject({ code: "STORAGE_FULL", cause: { code: "SQLITE_FULL" } });
  expect(await db.count(from(Room))).toBe(0);
  expect(await db.insert(Room, [{ name: "a", number: 1 }])).toBe(1);
  handle.close();
});

test("what is no handle of a driver's package is refused by name", () => {
  // biome-ignore lint/suspicious/noExplicitAny: handles that no compiler would let pass
  const wrong: readonly (readonly [make: (handle: any) => unknown, handle: unknown])[] = [
    [postgres, {}],
    [mariadb, callbacks.createPool({})],
    [mariadb, undefined],
    [sqlite, "society.db"],
    [pglite, null],
  ];
  for (const [make, handle] of wrong) expect(() => make(handle)).toThrow(expect.objectContaining({ code: "HANDLE_EXPECTED" }));
});

/** Settings that a server, a database or a role may have, of which values must not depend. */
eachEngine(all, "values do not depend on the settings of a server or a role", async (_, { name }) => {
  const table = `odd_setting_${randomBytes(6).toString("hex")}`;
  const { Odd } = model({
    Odd: entity(table, { id: identity, day: date, at: isoTimestamp, data: bytes, ratio: double, word: text.defaultsTo("a\\'b"), big: bigint }),
  });
  const row = { day: "2026-12-31", at: "0001-01-01T00:00:00.000000Z", data: Uint8Array.of(0, 92, 255), ratio: 0.1 + 0.2, big: 2n ** 62n };
  if (name !== "postgres" && name !== "mariadb") return;
  for (const settings of Array.from({ length: 6 }, (_, i) => oddSettings(name, Math.floor((i * oddCount(name)) / 6) + i))) {
    const pool = name === "postgres" ? new pg.Pool({ connectionString: postgresUrl, max: 1 }) : mysql.createPool({ uri: mariadbUrl, connectionLimit: 1 });
    // biome-ignore lint/suspicious/noExplicitAny: two packages' pools announce connections of their own
    (pool as any).on(name === "postgres" ? "connect" : "connection", (connection: any) => void connection.query(settings));
    const db = database(name === "postgres" ? postgres(pool as pg.Pool) : mariadb(pool as mysql.Pool));
    try {
      await createTables(db, { Odd });
      await db.insert(Odd, [row, { ...row, at: "9999-12-31T23:59:59.999999Z", word: "\\" }]);
      expect(await db.list(from(Odd)), settings).toEqual([
        { id: 1, ...row, word: "a\\'b" },
        { id: 2, ...row, at: "9999-12-31T23:59:59.999999Z", word: "\\" },
      ]);
      expect(await db.count(from(Odd).where((o) => o.at.is(row.at)))).toBe(1);
    } finally {
      await db.send(sql.command`drop table ${Odd}`);
      await pool.end();
    }
  }
});

eachEngine(all, "a pool may have a handle for each request, and connections that were there before", async (_, { name }) => {
  if (name !== "postgres" && name !== "mariadb") return;
  const pool = name === "postgres" ? new pg.Pool({ connectionString: postgresUrl, max: 1 }) : mysql.createPool({ uri: mariadbUrl, connectionLimit: 1 });
  try {
    if (pool instanceof pg.Pool) await pool.query("set datestyle = 'German'");
    const handles = Array.from({ length: 12 }, () => database(pool instanceof pg.Pool ? postgres(pool) : mariadb(pool as mysql.Pool)));
    for (const db of handles) expect(await db.list(sql.rows({ day: date })`select cast('2026-12-31' as date)`)).toEqual([{ day: "2026-12-31" }]);
    // biome-ignore lint/suspicious/noExplicitAny: the package's types do not say that its pool tells of listeners
    expect((pool as any).listenerCount(name === "postgres" ? "connect" : "connection")).toBeLessThan(2);
    if (pool instanceof pg.Pool) {
      const client = await pool.connect();
      // The pool has listeners of its own.
      expect(client.listenerCount("error")).toBeLessThan(4);
      client.release();
    }
  } finally {
    await pool.end();
  }
});

test("a handle of SQLite's build for browsers that was closed is asked nothing more", async () => {
  const module = await (await import("@sqlite.org/sqlite-wasm")).default();
  const handle = new module.oo1.DB(":memory:");
  const db = database(sqliteWasm(handle, module));
  const { Note } = model({ Note: entity("note", { id: identity, body: text }) });
  await createTables(db, { Note });
  expect(await db.list(from(Note))).toEqual([]);
  handle.close();
  // A text that was prepared before, and one that was not.
  await expect(db.list(from(Note))).rejects.toMatchObject({ code: "CONNECTION_CLOSED" });
  await expect(db.count(from(Note))).rejects.toMatchObject({ code: "CONNECTION_CLOSED" });
});

test("after a packet that was too big for MariaDB the next caller has a connection that works", async () => {
  const engine = all().find(({ name }) => name === "mariadb");
  if (engine === undefined) return;
  const db = engine.connect();
  const big = "x".repeat(40_000_000);
  const works: readonly (() => Promise<unknown>)[] = [
    () => db.count(from(lending.Member).where((m) => m.name.is(big))),
    () => db.transaction((tx) => tx.count(from(lending.Member).where((m) => m.name.is(big)))),
    () =>
      db.count(
        from(lending.Member).where((m) => m.name.is(big)),
        { timeLimit: 60_000 },
      ),
  ];
  for (const work of works) {
    // The server may hang up before its answer is read.
    expect(["STATEMENT_REFUSED", "CONNECTION_LOST"]).toContain(await work().then(String, ({ code }) => code));
    for (let i = 0; i < 3; i++) await db.count(from(lending.Member));
  }
});
