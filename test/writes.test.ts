import { afterEach, beforeAll, describe, expect, test } from "vitest";
import {
  and,
  choice,
  coalesce,
  createTables,
  type Database,
  date,
  entity,
  firstOf,
  from,
  identity,
  integer,
  isoTimestamp,
  model,
  numeric,
  or,
  type ReferenceOf,
  rowNumber,
  text,
  toMany,
  toOne,
  unionAll,
  value,
  varchar,
  when,
} from "../src/index.js";
import { useEngines } from "./support/engines.js";

const shed = model({
  Shelf: entity("shelf", { id: identity, name: varchar(40).unique, room: varchar(40) }, { tools: toMany("Tool", { by: "shelfId" }) }),
  Spare: entity("spare_shelf", { id: identity, name: varchar(40), room: varchar(40) }),
  Tool: entity(
    "tool",
    {
      id: identity,
      shelfId: integer,
      name: varchar(40),
      state: choice("new", "used").defaultsTo("new"),
      price: numeric(8, 2),
      bought: date.nullable,
      seen: isoTimestamp.nullable,
      size: value({ length: integer, note: text.nullable }).nullable,
      label: varchar(90).computed,
    },
    { shelf: toOne("Shelf", { by: "shelfId" }) },
    { computes: (t) => ({ label: t.name.concat(" (", t.state.asText(), ")") }) },
  ),
});
const { Shelf, Spare, Tool } = shed;

const { all } = useEngines(true);
beforeAll(async () => {
  for (const engine of all()) await createTables(engine.connect(), shed);
});
afterEach(async () => {
  for (const engine of all()) {
    await engine.execute("delete from tool");
    await engine.execute("delete from shelf");
  }
});

const shelves = [
  { id: 1, name: "top", room: "attic" },
  { id: 2, name: "low", room: "cellar" },
];
const tools = [
  { id: 1, shelfId: 1, name: "Drill", price: "12.50", bought: "2026-05-01", size: { length: 30, note: null } },
  { id: 2, shelfId: 1, name: "Saw", price: "3.00", state: "used" as const, size: null },
  { id: 3, shelfId: 2, name: "Plane", price: "20.00", bought: "2025-01-31", size: { length: 24, note: "blunt" } },
];
const whole = (tool: (typeof tools)[number]) => ({
  ...{ state: "new", bought: null, seen: null },
  ...tool,
  label: `${tool.name} (${tool.state ?? "new"})`,
});

const onEach = async (check: (db: Database, engine: string) => Promise<void>): Promise<void> => {
  for (const engine of all()) {
    const db = engine.connect();
    await db.insert(Shelf, shelves);
    await db.insert(Tool, tools);
    await check(db, engine.name);
  }
};
const names = (db: Database) => db.list(from(Tool).select((t) => t.name));

describe("insert", () => {
  test("gives rows back as the database has them, in their order", async () => {
    for (const engine of all()) {
      const db = engine.connect();
      await db.insert(Shelf, shelves);
      expect(await db.insert(Tool, tools, { returning: true }), engine.name).toStrictEqual(tools.map(whole));
      const more = Array.from({ length: 20 }, (_, i) => ({ shelfId: 1, name: `Bit ${i}`, price: "1" }));
      const given = await db.insert(Tool, more, { returning: (t) => ({ id: t.id, name: t.name.upper(), price: t.price, label: t.label }) });
      expect(given.map(({ name }) => name)).toEqual(more.map(({ name }) => name.toUpperCase()));
      expect(new Set(given.map(({ id }) => id)).size).toBe(20);
      for (const { id } of given) expect(id).toBeGreaterThan(3);
      expect(given[0]).toMatchObject({ price: "1.00", label: "Bit 0 (new)" });
      expect(await db.insert(Tool, [], { returning: true })).toEqual([]);
    }
  });

  test("of a query's rows, which do not leave the database", () =>
    onEach(async (db, engine) => {
      const cheap = from(Tool)
        .where((t) => t.price.below("15"))
        .select((t) => ({ shelfId: t.shelf.id.plus(1), name: t.name.concat(" 2"), price: t.price.times("2").rounded(2) }));
      expect(await db.insertFrom(Tool, cheap), engine).toBe(2);
      expect(
        await db.list(
          from(Tool)
            .orderBy((t) => t.name.asc)
            .where((t) => t.name.endsWith("2"))
            .select((t) => ({ name: t.name, price: t.price })),
        ),
        engine,
      ).toEqual([
        { name: "Drill 2", price: "25.00" },
        { name: "Saw 2", price: "6.00" },
      ]);
      // The rows of a union, and rows as they are.
      const both = from(
        unionAll(
          from(Shelf).select((s) => ({ name: s.name.concat(" 2"), room: s.room })),
          from(Shelf).select((s) => ({ name: s.name.concat(" 3"), room: s.room })),
        ),
      );
      expect(await db.insertFrom(Shelf, both), engine).toBe(4);
      expect(
        await db.insertFrom(
          Shelf,
          both.where((s) => s.name.is("top 2")).select((s) => ({ name: s.name.concat("!"), room: s.room })),
        ),
      ).toBe(1);
      expect(
        await db.insertFrom(
          Spare,
          from(Shelf).where((s) => s.name.endsWith("2")),
        ),
        engine,
      ).toBe(2);
      expect(
        await db.list(
          from(Spare)
            .orderBy((s) => s.name.asc)
            .columns("name", "room"),
        ),
      ).toEqual([
        { name: "low 2", room: "cellar" },
        { name: "top 2", room: "attic" },
      ]);
      await db.delete(from(Spare), { all: true });
      const lacking = from(Tool).select((t) => ({ nam: t.name }));
      // @ts-expect-error a new row needs its columns
      await expect(db.insertFrom(Tool, lacking)).rejects.toMatchObject({ code: "NAME_UNKNOWN" });
    }));
});

describe("update", () => {
  test("what a path, a set or another query tells, of the rows as they were", () =>
    onEach(async (db, engine) => {
      const loud = from(Tool).where((t) => t.shelf.room.is("attic"));
      expect(
        await db.update(loud, (t) => ({ name: t.shelf.name.concat(" ", t.name), size: { length: t.shelf.tools.count(), note: t.shelf.room } })),
        engine,
      ).toBe(2);
      expect(await db.list(from(Tool).select((t) => ({ name: t.name, size: t.size })))).toEqual([
        { name: "top Drill", size: { length: 2, note: "attic" } },
        { name: "top Saw", size: { length: 2, note: "attic" } },
        { name: "Plane", size: { length: 24, note: "blunt" } },
      ]);
      await db.update(
        from(Shelf),
        (s) => ({
          room: coalesce(
            s.tools.max((t) => t.name),
            "empty",
          ),
        }),
        { all: true },
      );
      expect(await db.list(from(Shelf).select((s) => s.room))).toEqual(["top Saw", "Plane"]);
      const priceOf = (t: ReferenceOf<typeof Tool>) =>
        from(Tool)
          .where((other) => and(other.shelfId.is(t.shelfId), other.id.isNot(t.id)))
          .orderBy((other) => other.price.desc)
          .select((other) => other.price);
      await db.update(from(Tool), (t) => ({ price: coalesce(firstOf(priceOf(t)), t.price) }), { all: true });
      expect(await db.list(from(Tool).select((t) => t.price))).toEqual(["3.00", "12.50", "20.00"]);
      expect(
        await db.list(
          from(Tool)
            .where((t) => firstOf(priceOf(t)).is(null))
            .select((t) => ({ id: t.id, other: firstOf(priceOf(t)) })),
        ),
      ).toEqual([{ id: 3, other: null }]);
    }));

  test("values and expressions, all of them of the row as it was", () =>
    onEach(async (db, engine) => {
      const changed = await db.update(
        from(Tool).where((t) => t.shelfId.is(1)),
        (t) => ({
          name: t.name.concat("!"),
          price: t.price.plus("0.25"),
          state: "used",
          bought: t.bought.plusDays(31),
          seen: "2026-05-01T08:00:00.000001Z",
          size: { length: 7, note: t.name },
        }),
      );
      expect(changed, engine).toBe(2);
      const found = await db.list(from(Tool).where((t) => t.shelfId.is(1)));
      expect(
        found.map(({ name, price, state, bought, seen }) => ({ name, price, state, bought, seen })),
        engine,
      ).toEqual([
        { name: "Drill!", price: "12.75", state: "used", bought: "2026-06-01", seen: "2026-05-01T08:00:00.000001Z" },
        { name: "Saw!", price: "3.25", state: "used", bought: null, seen: "2026-05-01T08:00:00.000001Z" },
      ]);
      expect(
        found.map(({ size }) => size?.note),
        engine,
      ).toEqual(["Drill", "Saw"]);
    }));

  test("of rows that paths, sets, an order and a limit tell", () =>
    onEach(async (db, engine) => {
      expect(
        await db.update(
          from(Tool).where((t) => t.shelf.room.is("attic")),
          { bought: null },
        ),
        engine,
      ).toBe(2);
      expect(
        await db.update(
          from(Tool)
            .orderBy((t) => t.price.desc)
            .limit(1),
          { name: "Dear" },
        ),
        engine,
      ).toBe(1);
      expect(
        await db.update(
          from(Shelf).where((s) => s.tools.count().above(1)),
          { room: "hall" },
        ),
        engine,
      ).toBe(1);
      const twins = from(Tool).where((t) => t.shelf.tools.where((x) => x.id.isNot(t.id)).exists());
      expect(await db.update(twins, { state: "used" }), engine).toBe(2);
      expect(await db.list(from(Tool).select((t) => ({ name: t.name, bought: t.bought, room: t.shelf.room }))), engine).toEqual([
        { name: "Drill", bought: null, room: "hall" },
        { name: "Saw", bought: null, room: "hall" },
        { name: "Dear", bought: "2025-01-31", room: "cellar" },
      ]);
    }));

  test("a case in a change, a value object emptied, rows given back", () =>
    onEach(async (db, engine) => {
      const query = from(Tool).where((t) => t.id.atMost(2));
      const change = { size: null, state: "used" } as const;
      if (engine === "mariadb") {
        await expect(db.update(query, change, { returning: true })).rejects.toMatchObject({ code: "ENGINE_UNABLE" });
        expect(await db.count(from(Tool).where((t) => t.state.is("used")))).toBe(1);
      } else {
        const given = await db.update(query, change, { returning: (t) => ({ id: t.id, label: t.label, size: t.size }) });
        expect(
          given.sort((a, b) => a.id - b.id),
          engine,
        ).toEqual([
          { id: 1, label: "Drill (used)", size: null },
          { id: 2, label: "Saw (used)", size: null },
        ]);
      }
      expect(await db.update(query, (t) => ({ name: when(t.price.above("5"), "Good").otherwise("Poor") })), engine).toBe(2);
      expect(await names(db), engine).toEqual(["Good", "Poor", "Plane"]);
    }));
});

describe("delete", () => {
  test("of a query's rows, however they are told", () =>
    onEach(async (db, engine) => {
      expect(await db.delete(from(Tool).where((t) => t.price.below("5"))), engine).toBe(1);
      expect(await db.delete(from(Tool).where((t) => t.shelf.tools.where((x) => x.price.above(t.price)).exists())), engine).toBe(0);
      expect(
        await db.delete(
          from(Tool).where((t) => t.shelf.room.is("cellar")),
          { returning: (t) => t.name },
        ),
        engine,
      ).toEqual(["Plane"]);
      expect(await db.delete(from(Tool), { all: true }), engine).toBe(1);
      expect(
        await db.delete(
          from(Shelf)
            .where((s) => s.id.notOneOf(from(Tool).select((t) => t.shelfId)))
            .limit(1),
        ),
        engine,
      ).toBe(1);
    }));
});

describe("upsert", () => {
  test("inserts what is not there, and changes what is", () =>
    onEach(async (db, engine) => {
      const rows = [
        { name: "top", room: "roof" },
        { name: "new", room: "yard" },
      ];
      expect(await db.upsert(Shelf, rows, { by: ["name"] }), engine).toBe(2);
      expect(
        await db.list(
          from(Shelf)
            .orderBy((s) => s.name.asc)
            .select((s) => ({ name: s.name, room: s.room })),
        ),
        engine,
      ).toEqual([
        { name: "low", room: "cellar" },
        { name: "new", room: "yard" },
        { name: "top", room: "roof" },
      ]);
      await db.upsert(Shelf, rows, { by: ["name"], set: (old, fresh) => ({ room: old.room.concat("+", fresh.room) }) });
      expect(
        await db.list(
          from(Shelf)
            .where((s) => s.name.is("top"))
            .select((s) => s.room),
        ),
        engine,
      ).toEqual(["roof+roof"]);
      await db.upsert(Shelf, [{ name: "top", room: "sea" }], { by: ["name"], set: () => ({}) });
      expect(
        await db.list(
          from(Shelf)
            .where((s) => s.name.is("top"))
            .select((s) => s.room),
        ),
        engine,
      ).toEqual(["roof+roof"]);
      const given = await db.upsert(Shelf, [{ id: 2, name: "low", room: "den" }], { returning: true });
      expect(given, engine).toEqual([{ id: 2, name: "low", room: "den" }]);
    }));
});

test("what is not meant is refused before anything is sent", () =>
  onEach(async (db) => {
    const one = from(Tool).where((t) => t.id.is(1));
    const refused: [Promise<unknown>, string][] = [
      [db.delete(from(Tool)), "NOT_NARROWED"],
      [db.update(from(Tool), { name: "x" }), "NOT_NARROWED"],
      [db.update(one, {}), "CHANGE_EMPTY"],
      [db.update(one, { name: undefined as never }), "CHANGE_EMPTY"],
      [db.update(one, { name: null as never }), "VALUE_UNFIT"],
      [db.update(one, { label: "x" as never }), "COLUMN_COMPUTED"],
      [db.update(one, { nam: "x" } as never), "NAME_UNKNOWN"],
      [db.update(one, () => ({ shelfId: rowNumber({}) as never })), "CHANGE_BEYOND_ROW"],
      [
        db.upsert(Shelf, [{ ...shelves[0], name: "x" } as never], {
          set: (s) => ({ room: (s as unknown as ReferenceOf<typeof Shelf>).tools.max((t) => t.name) as never }),
        }),
        "CHANGE_BEYOND_ROW",
      ],
      [db.update(one, (t) => ({ name: t.price as never })), "VALUE_UNFIT"],
      [db.insert(Tool, { name: "Axe" } as never), "ROWS_EXPECTED"],
      [db.upsert(Tool, ["Axe"] as never), "ROWS_EXPECTED"],
      [db.reach(null as never, Tool, { shelf: true }), "ROWS_EXPECTED"],
      [db.insert({} as never, []), "ENTITY_EXPECTED"],
      [db.delete(from(Tool).join(Shelf, (t, s) => s.id.is(t.shelfId)) as never), "WRITE_UNFIT"],
      [db.delete(one.select((t) => t.id) as never), "WRITE_UNFIT"],
    ];
    for (const [write, code] of refused) await expect(write).rejects.toMatchObject({ code });
    expect(await names(db)).toEqual(["Drill", "Saw", "Plane"]);
  }));

test("as many rows, columns and bytes as there are, in portions that the engine takes", async () => {
  const names = Array.from({ length: 70 }, (_, i) => `c${i}`);
  const { Wide, Note } = model({
    Wide: entity("wide", { id: integer.key, ...Object.fromEntries(names.map((name) => [name, integer])) }),
    Note: entity("long_note", { id: identity, text }),
  });
  for (const engine of all()) {
    const db = engine.connect();
    await createTables(db, { Wide, Note });
    const row = Object.fromEntries(names.map((name) => [name, 1]));
    await db.insert(
      Wide,
      Array.from({ length: 1100 }, (_, id) => ({ id, ...row })),
    );
    expect(await db.count(from(Wide)), engine.name).toBe(1100);
    const long = "x".repeat(20_000);
    await db.insert(
      Note,
      Array.from({ length: 1024 }, () => ({ text: long })),
    );
    // One answer of so many rows comes from an engine that takes them by one statement.
    const count = db.dialect.writes.portions.rows.length === 0 ? 130_000 : 3000;
    const many = await db.insert(
      Note,
      Array.from({ length: count }, () => ({ text: "" })),
      { returning: (n) => n.id },
    );
    expect([many.length, many[0], await db.count(from(Note))], engine.name).toEqual([count, 1025, count + 1024]);
    const none: never[] = [];
    for (const empty of [from(Note).where(() => and(...none)), from(Note).where(() => or(...none, and()))])
      await expect(db.delete(empty)).rejects.toMatchObject({ code: "NOT_NARROWED" });
    const copies = from(Note).where((n) => n.id.atMost(2));
    await db.insertFrom(
      Note,
      copies.select((n) => ({ id: n.id.plus(200_000), text: n.text })),
    );
    expect(await db.insert(Note, [{ text: "last" }], { returning: (n) => n.id }), engine.name).toEqual([200_003]);
    for (const table of ["wide", "long_note"]) await engine.execute(`drop table ${table}`);
  }
});

test("rows that come one after the other are inserted some at a time, all or none", async () => {
  for (const engine of all()) {
    const db = engine.connect();
    const rows = async function* (count: number, broken?: number) {
      for (let i = 0; i < count; i++) yield { name: i === broken ? (7 as never) : `shelf ${i}`, room: "attic" };
    };
    const seen: number[] = [];
    expect(await db.insert(Shelf, rows(4500), { progress: (inserted) => seen.push(inserted) }), engine.name).toBe(4500);
    expect(seen).toEqual([2000, 4000, 4500]);
    const named = await db.list(
      from(Shelf)
        .orderBy((s) => s.id.asc)
        .columns("name"),
    );
    expect(named.map(({ name }) => name)).toEqual(Array.from({ length: 4500 }, (_, i) => `shelf ${i}`));
    await db.delete(from(Shelf), { all: true });
    const failing = db.insert(Shelf, rows(3000, 2500));
    await expect(failing, engine.name).rejects.toMatchObject({ code: "VALUE_UNFIT", message: expect.stringContaining("row 2501") });
    // Inside of a transaction that goes on, nothing of them is left either; a list in any other form is as good.
    await db.transaction(async (tx) => {
      await expect(tx.insert(Shelf, rows(3000, 2999))).rejects.toThrow("row 3000");
      expect(await tx.insert(Shelf, new Set(shelves))).toBe(2);
    });
    expect(await db.count(from(Shelf)), engine.name).toBe(2);
    await expect(db.insert(Shelf, rows(3), { returning: true } as never)).rejects.toMatchObject({ code: "OPTION_UNKNOWN" });
    await expect(db.transaction((tx) => tx.insert(Shelf, rows(3)), { readOnly: true })).rejects.toMatchObject({ code: "TRANSACTION_READ_ONLY" });
  }
});

test("rows that leave the key of an upsert to its default are each other's", async () => {
  const { Counter } = model({ Counter: entity("counter", { id: identity, code: varchar(9).unique.defaultsTo("usual"), hits: integer }) });
  for (const engine of all()) {
    const db = engine.connect();
    await createTables(db, { Counter });
    await db.upsert(Counter, [{ hits: 1 }, { hits: 2 }, { code: "rare", hits: 3 }, { hits: 4 }], { by: ["code"] });
    const found = await db.list(from(Counter).orderBy((c) => c.code.asc));
    expect(
      found.map(({ code, hits }) => [code, hits]),
      engine.name,
    ).toEqual([
      ["rare", 3],
      ["usual", 4],
    ]);
    await engine.execute("drop table counter");
  }
});
