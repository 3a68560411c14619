import { expect, inject, test } from "vitest";
import {
  and,
  bigint,
  createTables,
  entity,
  exists,
  from,
  identity,
  integer,
  model,
  notExists,
  numeric,
  type Strategy,
  text,
  toMany,
  toOne,
  varchar,
} from "../src/index.js";
import { type Engine, eachEngine, useEngines } from "./support/engines.js";

// Tables as others made them: without constraints, and with what their makers thought of.
const { all } = useEngines();
const strategies: readonly Strategy[] = ["auto", "join", "batch", "nest"];

eachEngine(all, "null where the model has none is an error that names entity, column and row", async (db, engine) => {
  const { Shelf, Box } = model({
    Shelf: entity("loose_shelf", { id: identity, name: text }, { boxes: toMany("Box", { by: "shelfId" }) }),
    Box: entity("loose_box", { id: identity, shelfId: integer.named("shelf_id"), label: text }, { shelf: toOne("Shelf", { by: "shelfId" }) }),
  });
  await engine.execute("create table loose_shelf (id integer primary key, name varchar(20))");
  await engine.execute("create table loose_box (id integer primary key, shelf_id integer, label varchar(20))");
  await engine.execute("insert into loose_shelf values (1, 'a'), (2, null)");
  await engine.execute("insert into loose_box values (1, 1, null), (2, 2, 'b')");
  const refusal = (column: string, key: string | undefined) => ({ code: "VALUE_NULL", names: { column, key } });
  for (const open of [db, engine.connect({ generateCode: false })])
    for (const how of strategies) {
      const [shelves, boxes] = [from(Shelf).how(how), from(Box).how(how)];
      await expect(open.list(shelves)).rejects.toMatchObject(refusal("Shelf.name", "id 2"));
      await expect(open.list(boxes.where((b) => b.id.is(2)).reach({ shelf: true })), how).rejects.toMatchObject(refusal("Shelf.name", "id 2"));
      await expect(open.list(shelves.limit(1).reach({ boxes: true })), how).rejects.toMatchObject(refusal("Box.label", "id 1"));
      await expect(open.list(boxes.select((b) => ({ label: b.label })))).rejects.toMatchObject(refusal("the projection.label", undefined));
    }
});

/** Key columns that the database takes for equal though their bytes differ: types of owner and related row, and values. */
type Alike = readonly [owner: string, related: string, owners: readonly string[], related: readonly string[]];
const folded: readonly string[] = ["'ab'", "'AB'", "'é'", "'x'"];
const alike: Readonly<Record<string, readonly Alike[]>> = {
  sqlite: [
    ["text collate nocase", "text collate nocase", folded, ["'Ab'", "'É'", "'X'"]],
    ["integer", "text", ["5", "7"], ["'5'", "'7'"]],
  ],
  postgres: [["numeric(10,4)", "numeric(6,2)", ["1.5000", "1.5050"], ["1.50", "1.51"]]],
  mariadb: [
    ["varchar(9) collate utf8mb4_unicode_ci", "varchar(9) collate utf8mb4_unicode_ci", folded, ["'Ab'", "'E'", "'X '", "'😀'"]],
    ["varchar(9) character set latin1 collate latin1_bin", "char(6) character set latin1 collate latin1_bin", ["'ab'", "'AB'"], ["'ab '", "'X'"]],
    ["decimal(10,4)", "decimal(6,2)", ["1.5000", "1.5050"], ["1.50", "1.51"]],
    ["bigint unsigned", "bigint unsigned", ["18446744073709551615", "5"], ["18446744073709551615", "5"]],
  ],
};

const kindOf = (type: string) => (/^(dec|num)/.test(type) ? numeric(10, 4) : /unsigned/.test(type) ? bigint : /^int/.test(type) ? integer : varchar(9));

eachEngine(all, "related rows belong to an owner where the database takes their keys for equal", async (db, engine) => {
  const named = engine.name === "node-sqlite" ? "sqlite" : engine.name === "pglite" ? "postgres" : engine.name;
  for (const [ownerType, relatedType, ownerValues, relatedValues] of alike[named] ?? []) {
    await engine.execute(`create table alike_owner (id integer primary key, code ${ownerType})`);
    await engine.execute(`create table alike_part (id integer primary key, code ${relatedType})`);
    await engine.execute(`insert into alike_owner values ${ownerValues.map((value, i) => `(${i + 1}, ${value})`).join()}`);
    await engine.execute(`insert into alike_part values ${relatedValues.map((value, i) => `(${i + 1}, ${value})`).join()}`);
    const { Owner } = model({
      Owner: entity("alike_owner", { id: identity, code: kindOf(ownerType).unique }, { parts: toMany("Part", { by: "code", to: "code", constraint: false }) }),
      Part: entity("alike_part", { id: identity, code: kindOf(ownerType).nullable }, { owner: toOne("Owner", { by: "code", to: "code", constraint: false }) }),
    });
    const pairs = await engine.rows("select o.id, p.id as part from alike_owner o join alike_part p on p.code = o.code order by 1, 2");
    const wanted = ownerValues.map((_, i) => pairs.filter(([owner]) => Number(owner) === i + 1).map(([, part]) => Number(part)));
    expect(wanted.flat().length, `${engine.name}: ${ownerType}`).toBeGreaterThan(0);
    for (const how of strategies) {
      const owners = await db.list(from(Owner).how(how).reach({ parts: true }));
      expect(
        owners.map(({ parts }) => parts.map(({ id }) => id)),
        `${engine.name}: ${ownerType}, ${how}`,
      ).toEqual(wanted);
      const listed = await db.list(
        from(Owner)
          .how(how)
          .select((o) => ({ parts: o.parts.select((p) => p.id) })),
      );
      expect(listed.map(({ parts }) => parts)).toEqual(wanted);
      const first = await db.list(
        from(Owner)
          .how(how)
          .reach({ parts: (p) => p.limit(1) }),
      );
      expect(first.map(({ parts }) => parts.map(({ id }) => id))).toEqual(wanted.map((ids) => ids.slice(0, 1)));
    }
    const texts = relatedValues.filter((value) => value.startsWith("'") && ownerType.includes("char")).map((value) => value.slice(1, -1));
    const listed = await engine.rows(`select id from alike_owner where code in (${relatedValues}) order by id`);
    if (texts.length > 0)
      expect(
        await db.list(
          from(Owner)
            .where((o) => o.code.oneOf(texts as never[]))
            .select((o) => o.id),
        ),
        ownerType,
      ).toEqual(listed.map(([id]) => id));
    // The kind bigint has a sign.
    const small = (await db.list(from(Owner))).filter(({ code }) => typeof code !== "bigint" || code < 2n ** 63n);
    const completed = await db.reach(small, Owner, { parts: (p) => p.counted() });
    expect(completed.map(({ parts }) => parts)).toEqual(small.map(({ id }) => wanted[id - 1]?.length));
    for (const table of ["alike_owner", "alike_part"]) await engine.execute(`drop table ${table}`);
  }
});

eachEngine(all, "a query used inside of itself is a source of its own there", async (db) => {
  const { Cask } = model({ Cask: entity("cask", { id: identity, size: integer, mark: text }) });
  await createTables(db, { Cask });
  const sizes = [3, 1, 3, 2];
  await db.insert(
    Cask,
    sizes.map((size, i) => ({ size, mark: i === 3 ? "old" : "new" })),
  );
  const fresh = from(Cask).where((c) => c.mark.is("new"));
  const largest = fresh.where((c) => notExists(fresh.where((other) => other.size.above(c.size))));
  expect((await db.list(largest)).map(({ id }) => id)).toEqual([1, 3]);
  expect((await db.list(largest.where((c) => c.id.oneOf(largest.where((o) => o.size.is(c.size)).select((o) => o.id))))).map(({ id }) => id)).toEqual([1, 3]);
  const pairs = fresh.join(Cask, (a, b) => a.size.is(b.size)).where((a, b) => exists(fresh.where((c) => and(c.size.below(a.size), c.size.below(b.size)))));
  expect(await db.count(pairs.select((a) => a.id))).toBe(4);
  expect(await db.update(largest, { mark: "big" })).toBe(2);
  expect(await db.delete(largest)).toBe(1);
  expect((await db.list(from(Cask))).map(({ id, mark }) => [id, mark])).toEqual([
    [1, "big"],
    [3, "big"],
    [4, "old"],
  ]);
});

eachEngine(all, "however deep relations are nested, no two names of a statement are the same", async (db) => {
  const { Folder } = model({
    Folder: entity("folder", { id: identity, parentFolderId: integer }, { parentFolder: toOne("Folder", { by: "parentFolderId", constraint: false }) }),
  });
  await createTables(db, { Folder });
  await db.insert(
    Folder,
    Array.from({ length: 14 }, (_, i) => ({ id: i + 1, parentFolderId: i })),
  );
  let shape: object = {};
  for (let i = 0; i < 12; i++) shape = { parentFolder: shape };
  let folder: unknown = await db.single(
    from(Folder)
      .byKey(14)
      .how("join")
      .reach(shape as { parentFolder: true }),
  );
  for (let i = 14; i > 2; i--) {
    expect((folder as { id: number }).id).toBe(i);
    folder = (folder as { parentFolder: unknown }).parentFolder;
  }
});

eachEngine(all, "what is listed of related rows may be of their owner too, by every strategy", async (db) => {
  const { Bin, Part } = model({
    Bin: entity("bin", { id: identity, least: integer }, { parts: toMany("Part", { by: "binId" }) }),
    Part: entity("part", { id: identity, binId: integer, size: integer }, { bin: toOne("Bin", { by: "binId" }) }),
  });
  await createTables(db, { Bin, Part });
  await db.insert(Bin, [{ least: 2 }, { least: 5 }]);
  await db.insert(
    Part,
    [1, 2, 3, 6].flatMap((size) => [
      { binId: 1, size },
      { binId: 2, size },
    ]),
  );
  for (const how of strategies) {
    const bins = await db.list(
      from(Bin)
        .how(how)
        .select((b) => ({
          over: b.parts.where((p) => p.size.atLeast(b.least)).select((p) => p.size),
          spare: b.parts.select((p) => p.size.minus(b.least)),
        })),
    );
    expect(bins, how).toEqual([
      { over: [2, 3, 6], spare: [-1, 0, 1, 4] },
      { over: [6], spare: [-4, -3, -2, 1] },
    ]);
  }
});

eachEngine(all, "a tree upwards through a circle is the same whatever other roots there are", async (db) => {
  const { Link } = model({
    Link: entity("chain_link", { id: identity, upId: integer.nullable }, { up: toOne("Link", { by: "upId" }), downs: toMany("Link", { by: "upId" }) }),
  });
  await createTables(db, { Link });
  await db.insert(Link, [{ id: 1 }, { id: 2 }, { id: 3 }]);
  for (const [id, upId] of [
    [1, 2],
    [2, 1],
    [3, 1],
  ] as const)
    await db.update(from(Link).byKey(id), { upId });
  const ids = (link: { id: number; up?: unknown } | null): readonly number[] => (link === null ? [] : [link.id, ...ids((link.up ?? null) as typeof link)]);
  const all = await db.list(from(Link).reach({ up: (l) => l.deep() }));
  expect(all.map(ids)).toEqual([
    [1, 2],
    [2, 1],
    [3, 1, 2],
  ]);
});

test.runIf(inject("engines").includes("postgres"))(
  "a column of citext takes letters of either case for the same in values, lists, keys and relations",
  async () => {
    const engine = all().find(({ name }) => name === "postgres") as Engine;
    await engine.execute("create extension citext; create table person (name citext primary key); create table visit (id integer primary key, who citext)");
    await engine.execute("insert into person values ('Ada'), ('Bo'); insert into visit values (1, 'ADA'), (2, 'ada'), (3, 'bo')");
    const word = varchar(20).storedAs({ postgres: "citext" });
    const { Person, Visit } = model({
      Person: entity("person", { name: word.key }, { visits: toMany("Visit", { by: "who" }) }),
      Visit: entity("visit", { id: identity, who: word }, { person: toOne("Person", { by: "who" }) }),
    });
    const db = engine.connect();
    for (const how of strategies) {
      const people = await db.list(from(Person).how(how).reach({ visits: true }));
      expect(
        people.map(({ name, visits }) => [name, visits.map(({ id }) => id)]),
        how,
      ).toEqual([
        ["Ada", [1, 2]],
        ["Bo", [3]],
      ]);
      expect((await db.list(from(Visit).how(how).reach({ person: true }))).map(({ person }) => person.name)).toEqual(["Ada", "Ada", "Bo"]);
    }
    expect(await db.count(from(Visit).where((v) => v.who.is("aDa")))).toBe(2);
    expect(await db.count(from(Visit).where((v) => v.who.oneOf(["aDa", "x"])))).toBe(2);
    expect(
      await db.list(
        from(Visit)
          .where((v) => v.who.startsWith("A"))
          .select((v) => v.who.lower()),
      ),
    ).toEqual(["ada"]);
    expect(await db.upsert(Person, [{ name: "BO" }])).toBe(1);
    expect(await db.count(from(Person))).toBe(2);
  },
);
