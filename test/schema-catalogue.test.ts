import { expect } from "vitest";
import { createTables, entity, integer, model, text, varchar, withLedger } from "../src/index.js";
import {
  adoptTables,
  applyMigrations,
  changeLabel,
  changesBetween,
  draftBetween,
  migrationText,
  readTables,
  statementsOf,
  tablesOf,
  undoText,
} from "../src/schema/index.js";
import { lending } from "../tools/src/demo/index.js";
import { eachEngine, useEngines } from "./support/engines.js";
import { wipe } from "./support/wipe.js";

const { all } = useEngines();
// biome-ignore lint/suspicious/noExplicitAny: models that are made of databases have no types here
type Untyped = any;

eachEngine(all, "the demo's tables are what their model says", async (db) => {
  await createTables(db, lending);
  const found = await readTables(db);
  expect(changesBetween(found, tablesOf(lending, db.dialect), db.dialect.name).map(changeLabel)).toEqual([]);
});

/** How many tables: to make them takes a server longer than all else here. */
const many = process.env.CI === "true" ? 500 : 50;

eachEngine(all, `a catalogue of ${many} tables is read in at most 12 statements`, async (db, engine) => {
  await wipe(engine);
  for (let n = 0; n < many; n++) await engine.execute(`create table many_${n} (id integer primary key, name varchar(20) unique)`);
  const { result, statements } = await withLedger(db, "read", () => readTables(db));
  expect(result.filter(({ table }) => table.startsWith("many_"))).toHaveLength(many);
  expect(statements.length).toBeGreaterThan(0);
  expect(statements.length).toBeLessThanOrEqual(12);
  await wipe(engine);
});

/** What a model has no words for, and stays when its table is changed otherwise. */
const others = {
  sqlite: `create table depot (id integer primary key autoincrement, name text) strict;
create table item (code text primary key, depot_id integer references depot (id) deferrable initially deferred, price integer) without rowid;
create index item_lower on item (lower(code));
create trigger item_told after insert on item begin select 1; select 2; end;`,
  postgres: `create table depot (id integer primary key, name text);
create table item (code text primary key, depot_id integer references depot (id) deferrable initially deferred, price integer);
create index item_lower on item (lower(code));
comment on column item.price is 'in cents'`,
  mariadb: `create table depot (id int primary key, name varchar(20)) character set latin1;
create table item (code varchar(20) primary key, depot_id int references depot (id), price int comment 'in cents', changed timestamp default current_timestamp on update current_timestamp, label text) collate utf8mb4_general_ci;
create fulltext index item_label on item (label)`,
};

/** How each engine tells of it. */
const told = {
  sqlite: "select group_concat(sql, ';') from sqlite_schema where sql not like '%gemach_journal%' and tbl_name in ('depot', 'item')",
  postgres:
    "select string_agg(one, ';' order by one) from (select indexdef as one from pg_indexes where tablename = 'item' union all select pg_get_constraintdef(oid) from pg_constraint where conrelid = 'item'::regclass union all select col_description('item'::regclass, 3)) as x",
  mariadb: "show create table item",
};
const kept = {
  sqlite: [/\) strict/i, /\) without rowid/i, "autoincrement", "deferrable initially deferred", "lower(code)", "select 2; end"],
  postgres: ["DEFERRABLE INITIALLY DEFERRED", "lower(code)", "in cents"],
  mariadb: ["in cents", "on update current_timestamp", "FULLTEXT", "utf8mb4_general_ci"],
};

eachEngine(all, "what a model has no words for stays, when tables are changed", async (db, engine) => {
  await wipe(engine);
  const name = db.dialect.name;
  for (const statement of statementsOf(others[name], name)) await engine.execute(statement);
  const adopted = adoptTables(await readTables(db), db.dialect).model as Record<string, Untyped>;
  const found = await readTables(db);
  // As adopted, but for another type, a column that must not be null, and one more.
  const wanted = tablesOf(adopted, db.dialect).map((table) => ({
    ...table,
    columns: table.columns.flatMap((column) =>
      column.name === "price"
        ? [
            { ...column, type: name === "sqlite" ? "real" : "bigint", isNullable: false },
            { ...column, name: "weight" },
          ]
        : [column],
    ),
  }));
  const draft = draftBetween(found, wanted, { tables: {}, columns: {} }, db.dialect);
  const migration = { number: 1, name: "price", content: migrationText(draft, "price", db.dialect), undo: undoText(draft, "price", db.dialect) };
  const shows = async (when: string) => {
    const text = (await engine.rows(told[name])).flat().join("\n");
    for (const one of kept[name]) expect(text, when).toMatch(typeof one === "string" ? new RegExp(one.replaceAll(/[()]/g, "\\$&"), "i") : one);
  };
  await shows("before");
  await applyMigrations(db, [migration]);
  await shows("after");
  await applyMigrations(db, [migration], { undo: true });
  await shows("undone");
  expect(changesBetween(await readTables(db), found, name).map(changeLabel)).toEqual([]);
  if (name === "mariadb") {
    // A model that says nothing of collations, on a table that has one of its own.
    const plain = model({ Depot: entity("depot", { id: integer.key, name: varchar(30).nullable, town: text.nullable }) });
    const own = (await readTables(db)).filter(({ table }) => table === "depot");
    const asked = draftBetween(own, tablesOf(plain, db.dialect), { tables: {}, columns: {} }, db.dialect);
    await applyMigrations(db, [migration, { number: 2, name: "plain", content: migrationText(asked, "plain", db.dialect) }]);
    const now = (await readTables(db)).filter(({ table }) => table === "depot");
    expect(changesBetween(now, tablesOf(plain, db.dialect), name).map(changeLabel)).toEqual([]);
  }
});
