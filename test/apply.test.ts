import Sqlite from "better-sqlite3";
import { expect, test } from "vitest";
import { sqlite } from "../src/drivers/sqlite.js";
import { type Database, database, sql } from "../src/index.js";
import { applyMigrations, journalOf, type Migration } from "../src/schema/index.js";
import { type Engine, eachEngine, useEngines } from "./support/engines.js";
import { mortal } from "./support/mortal.js";
import { seed } from "./support/seed.js";
import { wipe } from "./support/wipe.js";

const { all } = useEngines();

const first: Migration = {
  number: 1,
  name: "begin",
  content: `create table loan (id integer primary key, note varchar(40), item_id integer);
create table item (id integer primary key, code varchar(10));
insert into item values (1, 'a'), (2, 'b');
insert into loan values (1, 'x', 1), (2, null, 2);`,
  undo: "drop table loan; drop table item;",
};

/** Definitions and data in turn, none of which can be done twice. */
const second: Migration = {
  number: 2,
  name: "shelves",
  content: `create table shelf (id integer primary key, label varchar(20) not null);
insert into shelf values (1, 'top; of all');
alter table loan add column shelf_id integer;
update loan set shelf_id = coalesce(shelf_id, 0) + 1;
create index loan_shelf on loan (shelf_id);
alter table loan drop column note;
insert into shelf select max(id) + 1, 'second' from shelf;`,
  undo: "alter table loan add column note varchar(40); drop index loan_shelf{on}; alter table loan drop column shelf_id; drop table shelf;",
};

const forEngine = (migration: Migration, db: Database): Migration => ({
  ...migration,
  undo: migration.undo?.replace("{on}", db.dialect.name === "mariadb" ? " on loan" : ""),
});

const stateOf = async (engine: Engine) => ({
  loans: (await engine.rows("select * from loan order by id")).map((row) => row.map((value) => (value === null ? null : String(value)))),
  shelves: (await engine.rows("select id, label from shelf order by id")).map((row) => row.map(String)),
  journal: (await journalOf(engine.connect())).map(({ name, done, ended }) => [name, done, ended !== null]),
});

const wanted = {
  loans: [
    ["1", "1", "1"],
    ["2", "2", "1"],
  ],
  shelves: [
    ["1", "top; of all"],
    ["2", "second"],
  ],
  journal: [
    ["begin", 4, true],
    ["shelves", 7, true],
  ],
};

for (const isAfter of [false, true])
  eachEngine(
    all,
    `what was stopped ${isAfter ? "right after" : "before"} any of its statements is completed by the next run`,
    async (usual, engine) => {
      const migrations = [forEngine(first, usual), forEngine(second, usual)];
      // All of them in CI, else every eleventh, from another one on each time.
      const stride = process.env.CI === "true" ? 1 : 11;
      let deaths = 0;
      for (let deathAt = 1 + (seed % stride); ; deathAt += stride) {
        await wipe(engine);
        await applyMigrations(usual, migrations.slice(0, 1));
        const driver = mortal(engine.driver, deathAt, isAfter);
        await applyMigrations(database(driver), migrations).catch((error: Error) => {
          if (!driver.isDead()) throw error;
        });
        await applyMigrations(usual, migrations);
        expect(await stateOf(engine), `${engine.name}, dead at ${deathAt}`).toEqual(wanted);
        if (!driver.isDead()) break;
        deaths++;
      }
      expect(deaths).toBeGreaterThan(7 / stride);
      for (let deathAt = 1 + (seed % stride); ; deathAt += stride) {
        await wipe(engine);
        await applyMigrations(usual, migrations);
        const driver = mortal(engine.driver, deathAt, isAfter);
        await applyMigrations(database(driver), migrations, { undo: true }).catch((error: Error) => {
          if (!driver.isDead()) throw error;
        });
        const [, entry] = await journalOf(usual);
        if (entry?.ended === null) await expect(applyMigrations(usual, migrations)).rejects.toThrow("stopped while it was undone");
        if (entry !== undefined) await applyMigrations(usual, migrations, { undo: true });
        expect(
          (await journalOf(usual)).map(({ name }) => name),
          `${engine.name}, dead at ${deathAt}`,
        ).toEqual(["begin"]);
        expect((await engine.rows("select * from loan order by id")).length).toBe(2);
        if (!driver.isDead()) break;
      }
    },
    900_000,
  );

eachEngine(all, "those that apply at once to an empty database run each migration once", async (db, engine) => {
  await wipe(engine);
  const migrations = [forEngine(first, db), forEngine(second, db)];
  const runs = await Promise.all([1, 2, 3].map(() => applyMigrations(engine.connect(), migrations)));
  expect(
    runs
      .flat()
      .map(({ label }) => label)
      .sort(),
  ).toEqual(["001-begin", "002-shelves"]);
  expect(await stateOf(engine)).toEqual(wanted);
});

eachEngine(all, "rows in the way are told with their number, and nothing is changed", async (db, engine) => {
  await wipe(engine);
  const must: Migration = {
    number: 2,
    name: "strict",
    content: `-- must find nothing: loan.note: null, where there must be a value
--   select id from loan where note is null
-- must find nothing: loan: (item_id) leads to no row of item
--   select held.id, held.item_id from loan as held
--   where not exists (select 1 from item as target where target.id = held.item_id)
create table never (id integer);`,
  };
  const begin = forEngine(first, db);
  await applyMigrations(db, [begin]);
  await engine.execute("insert into loan values (3, null, 7)");
  const refused = await applyMigrations(db, [begin, must]).catch((error: Error) => error.message);
  expect(refused).toContain("null, where there must be a value: 2 rows, such as 2, 3");
  expect(refused).toContain("leads to no row of item: 1 row, such as 3 / 7");
  expect((await journalOf(db)).map(({ name }) => name)).toEqual(["begin"]);
  await engine.execute("update loan set note = 'y', item_id = 1 where id > 1");
  expect((await applyMigrations(db, [begin, must])).map(({ outcome }) => outcome)).toEqual(["applied"]);
});

eachEngine(all, "a folder that is not what ran is refused, with what differs", async (db, engine) => {
  await wipe(engine);
  const begin = forEngine(first, db);
  await applyMigrations(db, [begin]);
  const apply = (...migrations: readonly Migration[]) =>
    applyMigrations(db, migrations).then(
      (applied) => applied.map(({ label }) => label),
      (error: Error & { code: string }) => `${error.code}: ${error.message}`,
    );
  expect(await apply({ ...begin, content: begin.content.replace("varchar(40)", "varchar(50)") })).toMatch(
    /MIGRATION_CHANGED.*\n {2}line 1\n {2}- create.*40.*\n {2}\+ create.*50/,
  );
  expect(await apply({ ...begin, content: begin.content.replaceAll("\n", "\r\n") })).toEqual([]);
  expect(await apply()).toContain("MIGRATION_MISSING");
  const third = { number: 3, name: "third", content: "create table three (id integer);" };
  const late = { number: 2, name: "late", content: "create table two (id integer);" };
  expect(await apply(begin, third)).toEqual(["003-third"]);
  expect(await apply(begin, late, third)).toContain("MIGRATION_LATE");
  expect((await applyMigrations(db, [begin, late, third], { late: true })).map(({ label }) => label)).toEqual(["002-late"]);
  const wrong = { number: 4, name: "wrong", content: "create table four (id integer); create table four (id integer);" };
  const failed = await apply(begin, late, third, wrong);
  expect(failed).toMatch(/MIGRATION_FAILED: The migration 004-wrong failed in its statement 2 of 2/);
  const isLeft = (await engine.rows("select 1 from four").catch(() => "none")) !== "none";
  expect(isLeft).toBe(db.dialect.name === "mariadb");
});

eachEngine(all, "a migration may be code, in the transaction that writes it down", async (db, engine) => {
  await wipe(engine);
  const begin = forEngine(first, db);
  const code: Migration = {
    number: 2,
    name: "notes",
    content: "// code",
    code: {
      forward: async (tx) => {
        await tx.send(sql.command`update loan set note = 'none' where note is null`);
      },
    },
  };
  const failing: Migration = {
    number: 3,
    name: "failing",
    content: "// code",
    code: {
      forward: async (tx) => {
        await tx.send(sql.command`update loan set note = 'lost'`);
        throw new Error("stop");
      },
    },
  };
  await expect(applyMigrations(db, [begin, code, failing])).rejects.toThrow("stop");
  expect((await engine.rows("select note from loan order by id")).flat()).toEqual(["x", "none"]);
  expect((await journalOf(db)).filter(({ ended }) => ended !== null).map(({ name }) => name)).toEqual(["begin", "notes"]);
  await expect(applyMigrations(db, [begin, code], { undo: true })).rejects.toThrow("Nothing says how");
});

test("a full disk undoes a migration on SQLite, and it is run once there is room", async () => {
  const handle = new Sqlite(":memory:");
  const db = database(sqlite(handle));
  const begin = forEngine(first, db);
  await applyMigrations(db, [begin]);
  const rows = "with recursive n(i) as (select 1 union all select i + 1 from n where i < 20000)";
  const large = {
    number: 2,
    name: "large",
    content: `create table large (id integer primary key, note text); insert into large ${rows} select i, hex(randomblob(50)) from n;`,
  };
  handle.pragma(`max_page_count = ${Number(handle.pragma("page_count", { simple: true })) + 50}`);
  await expect(applyMigrations(db, [begin, large])).rejects.toThrow(/MIGRATION|statement 2 of 2/);
  expect(handle.prepare("select count(*) from sqlite_schema where name = 'large'").pluck().get()).toBe(0);
  handle.pragma("max_page_count = 1000000");
  expect((await applyMigrations(db, [begin, large])).map(({ label }) => label)).toEqual(["002-large"]);
  handle.close();
});
