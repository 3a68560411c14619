import Sqlite from "better-sqlite3";
import pg from "pg";
import { expect, inject, test } from "vitest";
import { postgres } from "../src/drivers/postgres.js";
import { sqlite } from "../src/drivers/sqlite.js";
import { createTables, type Database, database, entity, from, identity, model, text } from "../src/index.js";
import type { Driver, Request, Session } from "../src/run/index.js";
import { type Engine, useEngines } from "./support/engines.js";
import { postgresUrl } from "./support/servers.js";

const notes = model({ Note: entity("note", { id: identity, word: text.unique }) });
const { Note } = notes;
const { all } = useEngines();

const words = async (db: Database): Promise<readonly string[]> => await db.list(from(Note).select((n) => n.word));
const written = (word: string): Request => ({
  text: `insert into note (word) values ('${word}')`,
  parameters: [],
  origin: { purpose: "a test", operation: "insert", entity: undefined, relation: undefined, strategy: undefined },
});

/** Runs a check on each engine, the table empty at its beginning. */
const onEach = async (check: (engine: Engine, db: Database) => Promise<void>): Promise<void> => {
  for (const engine of all()) {
    const db = engine.connect();
    await createTables(db, notes);
    await db.delete(from(Note), { all: true });
    await check(engine, db);
  }
};

/** What is done in a session, and the words that are there after it. */
const courses: readonly (readonly [name: string, act: (session: Session) => Promise<void>, after: readonly string[]])[] = [
  ["commits", async (s) => void (await s.commit()), ["axe", "saw"]],
  ["rolls back", async (s) => void (await s.rollback()), []],
  [
    "rolls back to a savepoint",
    async (s) => {
      await s.savepoint("here");
      await s.send(written("drill"));
      await s.rollbackTo("here");
      await s.commit();
    },
    ["axe", "saw"],
  ],
  [
    "keeps what a savepoint did",
    async (s) => {
      await s.savepoint("here");
      await s.send(written("drill"));
      await s.release("here");
      await s.commit();
    },
    ["axe", "saw", "drill"],
  ],
];

test.each(courses)("a session %s", async (_, act, after) =>
  onEach(async ({ driver, name }, db) => {
    const session = await driver.open();
    await session.begin({});
    for (const word of ["axe", "saw"]) await session.send(written(word));
    await act(session);
    session.close(false);
    expect(await words(db), name).toEqual(after);
  }),
);

test("on an engine with one handle sessions and single statements wait for a session that is open", async () =>
  onEach(async ({ driver, name }, db) => {
    if (name === "postgres" || name === "mariadb") return;
    const order: string[] = [];
    const session = await driver.open();
    await session.begin({});
    await session.send(written("axe"));
    const single = db.count(from(Note)).then((count) => order.push(`count ${count}`));
    const several = db.insert(Note, [{ word: "saw" }, { word: "drill" }]).then(() => order.push("insert"));
    await new Promise((resolve) => setTimeout(resolve, 5));
    expect(order, name).toEqual([]);
    await session.rollback();
    order.push("closed");
    session.close(false);
    await Promise.all([single, several]);
    expect(order, name).toEqual(["closed", "count 0", "insert"]);
    expect(await words(db), name).toEqual(["saw", "drill"]);
  }));

test("two drivers over one handle wait for each other too", async () => {
  const handle = new Sqlite(":memory:");
  const [one, other] = [sqlite(handle), database(sqlite(handle))];
  await createTables(other, notes);
  const session = await one.open();
  await session.begin({});
  const count = other.count(from(Note));
  await session.send(written("axe"));
  await session.rollback();
  session.close(false);
  expect(await count).toBe(0);
});

test("a verb of several statements is all or none, also inside of a transaction that the caller opened on his handle", async () =>
  onEach(async ({ name, execute }, db) => {
    if (name === "postgres" || name === "mariadb") return;
    await execute("begin");
    await db.insert(Note, [{ word: "axe" }]);
    // A statement that fails ends the caller's transaction on PostgreSQL, whatever is done about it.
    if (name !== "pglite") await expect(db.insert(Note, [{ word: "saw" }, { word: "axe" }]), name).rejects.toMatchObject({ code: "UNIQUE_VIOLATED" });
    // Rows that bring their identities and are returned take a statement more on PostgreSQL.
    const returned = await db.insert(
      Note,
      [
        { id: 71, word: "plane" },
        { id: 72, word: "file" },
      ],
      { returning: true },
    );
    expect(returned, name).toHaveLength(2);
    expect(await words(db), name).toEqual(["axe", "plane", "file"]);
    await execute("rollback");
    expect(await words(db), name).toEqual([]);
  }));

test("a commit that fails is rolled back, and no transaction stays open", async () =>
  onEach(async ({ driver, connect, name }, db) => {
    const failing: Driver = {
      ...driver,
      open: async () => {
        const session = await driver.open();
        return { ...session, commit: () => Promise.reject(new Error("the disk is full")) };
      },
      answersAtOnce: false,
    };
    await db.insert(Note, [{ word: "axe" }]);
    await expect(createTables(database(failing), notes), name).rejects.toThrow("the disk is full");
    await connect().insert(Note, [{ word: "saw" }, { word: "drill" }]);
    expect(await words(db), name).toEqual(["axe", "saw", "drill"]);
  }));

test("a server process that ends during a session is an error of the statement in hand, and the next query works", async () =>
  onEach(async ({ name, driver, execute }, db) => {
    const ends = { postgres: ["select pg_backend_pid()", "select pg_terminate_backend(#)"], mariadb: ["select connection_id()", "kill #"] }[name];
    if (ends === undefined) return;
    const session = await driver.open();
    await session.begin({});
    const [[process]] = (await session.send({ ...written(""), text: ends[0] as string })) as [[unknown]];
    await execute((ends[1] as string).replace("#", String(process)));
    // Until the client has heard of it.
    await new Promise((resolve) => setTimeout(resolve, 50));
    await expect((async () => session.send(written("saw")))(), name).rejects.toMatchObject({ code: "CONNECTION_LOST" });
    session.close(true);
    expect(await words(db), name).toEqual([]);
  }));

test("a pool or handle that was closed, and a pool without a free connection, are errors with a code", async () => {
  const closed = new Sqlite(":memory:");
  const later = database(sqlite(closed));
  closed.close();
  await expect(later.list(from(Note))).rejects.toMatchObject({ code: "CONNECTION_CLOSED" });
  for (const name of inject("engines").filter((engine) => engine === "postgres")) {
    const pool = new pg.Pool({ connectionString: postgresUrl, max: 1, connectionTimeoutMillis: 50 });
    const driver = postgres(pool);
    const session = await driver.open();
    await expect(database(driver).list(from(Note)), name).rejects.toMatchObject({ code: "POOL_EXHAUSTED" });
    session.close(false);
    await pool.end();
    await expect(database(driver).list(from(Note)), name).rejects.toMatchObject({ code: "CONNECTION_CLOSED" });
  }
});
