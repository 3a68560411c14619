import { randomBytes } from "node:crypto";
import { expect, test } from "vitest";
import { dialects } from "../src/drivers/dialects.js";
import {
  and,
  boolean,
  bytes,
  choice,
  createTables,
  createTablesSql,
  date,
  double,
  entity,
  from,
  type IndexDefinition,
  identity,
  integer,
  model,
  type NewRowOf,
  numeric,
  type StandardSchema,
  snakeCase,
  text,
  timestamp,
  toMany,
  toOne,
  uuid,
  value,
  varchar,
  withLedger,
} from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

const { Manual } = model({
  Manual: entity("manual", {
    id: identity,
    code: text.unique,
    file: bytes.heavy.nullable,
    pages: integer.defaultsTo(1),
    isDraft: boolean.defaultsTo(true).named("draft"),
    fee: numeric(6, 2).defaultsTo("12.5"),
    edition: text.defaultsTo("it's \\ new"),
    added: timestamp.startsAs(() => new Date("2026-05-01T08:30:00Z")),
    token: uuid.startsAs(() => "0189c3a0-0000-7000-8000-000000000001"),
  }),
});
const { all } = useEngines(true);

eachEngine(all, "defaults of the database and of code, unique columns, heavy ones", async (db, engine) => {
  await createTables(db, { Manual });
  const file = Uint8Array.of(1, 2, 3);
  await db.insert(Manual, [
    { code: "a", file },
    { code: "b", pages: 7, isDraft: false, added: new Date(0) },
  ]);
  const made = { fee: "12.50", edition: "it's \\ new", token: "0189c3a0-0000-7000-8000-000000000001" };
  const found = [
    {
      id: 1,
      code: "a",
      pages: 1,
      isDraft: true,
      fee: made.fee,
      edition: made.edition,
      added: new Date("2026-05-01T08:30:00Z"),
      token: made.token,
    },
    {
      id: 2,
      code: "b",
      pages: 7,
      isDraft: false,
      fee: made.fee,
      edition: made.edition,
      added: new Date(0),
      token: made.token,
    },
  ];
  const ledger = await withLedger(db, "plain", () => db.list(from(Manual)));
  expect(ledger.result).toStrictEqual(found);
  expect(ledger.statements[0]?.text).not.toContain("file");
  expect(await db.list(from(Manual).select((m) => m.file))).toStrictEqual([file, null]);
  expect(await db.count(from(Manual).where((m) => m.fee.above("9")))).toBe(2);
  await expect(db.insert(Manual, [{ code: "a" }])).rejects.toMatchObject({ code: "UNIQUE_VIOLATED" });
  // The database itself knows the defaults: other programs write to it too.
  await engine.execute("insert into manual (code, added, token) values ('c', '2026-01-01 00:00:00', '0189c3a0-0000-7000-8000-000000000002')");
  const other = from(Manual)
    .where((m) => m.code.is("c"))
    .select((m) => ({ pages: m.pages, isDraft: m.isDraft, edition: m.edition }));
  expect(await db.single(other)).toStrictEqual({ pages: 1, isDraft: true, edition: made.edition });
});

eachEngine(all, "tables that refer to each other are created in a right order, and what exists is left alone", async (db, engine) => {
  const circle = model({
    Shed: entity("shed", { id: identity, keeperId: integer.nullable }, { keeper: toOne("Keeper", { by: "keeperId" }) }),
    Keeper: entity("keeper", { id: identity, shedId: integer }, { shed: toOne("Shed", { by: "shedId" }) }),
    Bench: entity("bench", { id: identity, shedId: integer }, { shed: toOne("Shed", { by: "shedId" }) }),
  });
  // As an older program left it: without a foreign key and without an index.
  await engine.execute("create table bench (id integer primary key, shed_id integer, shedId integer)");
  await createTables(db, circle);
  await createTables(db, circle);
  await db.insert(circle.Shed, [{ id: 1 }]);
  await db.insert(circle.Keeper, [{ id: 1, shedId: 1 }]);
  await expect(db.insert(circle.Keeper, [{ id: 2, shedId: 9 }])).rejects.toMatchObject({
    code: "FOREIGN_KEY_VIOLATED",
  });
  await expect(db.insert(circle.Shed, [{ id: 2, keeperId: 9 }])).rejects.toMatchObject({
    code: "FOREIGN_KEY_VIOLATED",
  });
  await engine.execute("insert into bench (id) values (5)");
});

/** A schema as another library would make it. */
const lowerCase: StandardSchema<string> = {
  "~standard": {
    version: 1,
    vendor: "test",
    validate: (value) => (value === String(value).toLowerCase() ? { value: String(value) } : { issues: [{ message: "must be in lower case" }] }),
  },
};
const { Label } = model({
  Label: entity("label", {
    id: identity,
    word: varchar(5).meets(lowerCase),
    weight: integer,
    kind: choice("a", "b").defaultsTo("a"),
    note: text.nullable,
  }),
});

const incoming: readonly (readonly [what: string, row: unknown, ofNew: readonly string[], ofPart: readonly string[]])[] = [
  ["a whole row", { word: "drill", weight: 2, kind: "b", note: null }, [], []],
  ["a row without what may be left out", { word: "drill", weight: 2 }, [], []],
  ["nothing", {}, ["word: takes a string of at most 5 characters, without NUL, but is missing", "weight: takes a whole number of 32 bits, but is missing"], []],
  [
    "values of other kinds",
    { word: "hammer", weight: "2", kind: "c", note: 1 },
    [
      "word: takes a string of at most 5 characters, without NUL, but got another text",
      "weight: takes a whole number of 32 bits, but got a text",
      "kind: takes one of 'a', 'b', but got another text",
      "note: takes a string without NUL, but got a whole number",
    ],
    [
      "word: takes a string of at most 5 characters, without NUL, but got another text",
      "weight: takes a whole number of 32 bits, but got a text",
      "kind: takes one of 'a', 'b', but got another text",
      "note: takes a string without NUL, but got a whole number",
    ],
  ],
  ["what the column's own schema refuses", { word: "Drill", weight: 1 }, ["word: must be in lower case"], ["word: must be in lower case"]],
  [
    "null where there must be a value",
    { word: null, weight: 1 },
    ["word: takes a string of at most 5 characters, without NUL, but got null"],
    ["word: takes a string of at most 5 characters, without NUL, but got null"],
  ],
  [
    "a column that is not there",
    { word: "a", wieght: 1, weight: 1 },
    ["wieght: there is no such column. Did you mean 'weight'?"],
    ["wieght: there is no such column. Did you mean 'weight'?"],
  ],
  ["no object", "drill", [": takes an object, but got a text"], [": takes an object, but got a text"]],
];

test.each(incoming)("%s, by the schemas of a new row and of a part", async (_, row, ofNew, ofPart) => {
  const told = async (schema: StandardSchema) => {
    const result = await schema["~standard"].validate(row);
    if (result.issues === undefined) expect(result.value).toBe(row);
    return (result.issues ?? []).map(({ path = [], message }) => `${path.join(".")}: ${message}`);
  };
  expect(await told(Label.newRowSchema)).toEqual(ofNew);
  expect(await told(Label.partialRowSchema)).toEqual(ofPart);
});

test("an insert asks the column's own schema too", async () => {
  for (const engine of all())
    await expect(engine.connect().insert(Label, [{ word: "Drill", weight: 1 }])).rejects.toMatchObject({
      code: "VALUE_REFUSED",
      names: { column: "Label.word", reason: "must be in lower case" },
    });
});

const shelves = model({
  Shelf: entity(
    "shelf",
    { id: identity, room: text, position: integer, added: date },
    {},
    { indexes: [{ on: ["room", "position"], unique: true }, { on: ["room", "added desc"] }] },
  ),
  Room: entity("room", { name: text.key, shelves: integer }, {}, { readOnly: true }),
});

eachEngine(all, "indexes over several columns, and a view that is only read", async (db, engine) => {
  const indexes = (dialect: "sqlite" | "mariadb") => createTablesSql(shelves, { dialect: dialects[dialect] }).filter((text) => text.includes(" index "));
  expect(indexes("sqlite")).toEqual([
    'create unique index if not exists shelf_room_position on shelf (room, "position")',
    "create index if not exists shelf_room_added on shelf (room, added desc)",
  ]);
  expect(createTablesSql(shelves, { dialect: dialects.sqlite }).join()).not.toContain("exists room (");
  await createTables(db, shelves);
  await engine.execute("create view room as select room as name, count(*) as shelves from shelf group by room");
  const shelf = { room: "cellar", position: 1, added: "2026-05-01" };
  await db.insert(shelves.Shelf, [shelf, { ...shelf, position: 2 }]);
  expect(await db.list(from(shelves.Room))).toStrictEqual([{ name: "cellar", shelves: 2 }]);
  await expect(db.insert(shelves.Shelf, [shelf])).rejects.toMatchObject({ code: "UNIQUE_VIOLATED" });
  // @ts-expect-error there are no new rows of what is only read
  await expect(db.insert(shelves.Room, [{ name: "attic", shelves: 0 }])).rejects.toMatchObject({
    code: "ENTITY_READ_ONLY",
  });
  await engine.execute("drop view room");
});

test("a table in a schema of its own", async () => {
  for (const engine of all()) {
    const schema = `gemach_test_${randomBytes(6).toString("hex")}`;
    const { Plan, Page } = model({
      Plan: entity("plan", { id: identity, name: text }, { pages: toMany("Page", { by: "planId" }) }, { schema }),
      Page: entity("page", { id: identity, planId: integer }, { plan: toOne("Plan", { by: "planId" }) }, { schema, indexes: [{ on: ["planId", "id desc"] }] }),
    });
    const db = engine.connect();
    if (engine.name.endsWith("sqlite")) await engine.execute(`attach ':memory:' as ${schema}`);
    await createTables(db, { Plan, Page });
    await createTables(db, { Plan, Page });
    await db.insert(Plan, [{ id: 4, name: "garden" }]);
    await db.insert(Plan, [{ name: "cellar" }]);
    await db.insert(Page, [{ planId: 5 }]);
    for (const how of ["join", "batch", "nest"] as const)
      expect(
        await db.list(
          from(Plan)
            .how(how)
            .reach({ pages: { plan: true } }),
        ),
        engine.name,
      ).toStrictEqual([
        { id: 4, name: "garden", pages: [] },
        { id: 5, name: "cellar", pages: [{ id: 1, planId: 5, plan: { id: 5, name: "cellar" } }] },
      ]);
    await expect(db.insert(Page, [{ planId: 9 }]), engine.name).rejects.toMatchObject({ code: "FOREIGN_KEY_VIOLATED" });
    if (engine.name === "mariadb") await engine.execute(`drop schema ${schema}`);
  }
});

/** As an application would write them: nothing of this library in them. */
class Keeper {
  declare readonly id: number;
  declare readonly name: string;
  get initials(): string {
    return this.name.replace(/(\w)\w*\s*/g, "$1");
  }
}
class Chest {
  readonly id: number;
  readonly #label: string;
  constructor(id: number, label: string) {
    this.id = id;
    this.#label = label;
  }
  shout(): string {
    return `${this.#label.toUpperCase()}!`;
  }
}

test("rows as instances of classes of one's own, with what is reached", async () => {
  const owned = model({
    Keeper: entity("chest_keeper", { id: identity, name: text }, { chests: toMany("Chest", { by: "keeperId" }) }, { as: Keeper }),
    Chest: entity(
      "chest",
      { id: identity, label: text, keeperId: integer.nullable },
      { keeper: toOne("Keeper", { by: "keeperId" }) },
      { make: (row) => new Chest(row.id, row.label) },
    ),
  });
  for (const engine of all())
    for (const generateCode of [true, false]) {
      const db = engine.connect({ generateCode });
      await createTables(db, owned);
      if ((await db.count(from(owned.Keeper))) === 0) {
        await db.insert(owned.Keeper, [{ name: "Ada Levi" }]);
        await db.insert(owned.Chest, [{ label: "saws", keeperId: 1 }, { label: "nails" }]);
      }
      for (const how of ["join", "batch", "nest"] as const) {
        const [keeper] = await db.list(from(owned.Keeper).how(how).reach({ chests: true }));
        expect(keeper).toBeInstanceOf(Keeper);
        expect([keeper?.initials, keeper?.chests[0]?.shout()], engine.name).toEqual(["AL", "SAWS!"]);
        const chests = await db.list(from(owned.Chest).how(how).reach({ keeper: true }));
        for (const chest of chests) expect(chest).toBeInstanceOf(Chest);
        expect(chests.map((chest) => [chest.shout(), chest.keeper?.initials ?? null])).toEqual([
          ["SAWS!", "AL"],
          ["NAILS!", null],
        ]);
      }
      expect(await db.list(from(owned.Chest).select((c) => ({ id: c.id, keeper: c.keeper.name })))).toStrictEqual([
        { id: 1, keeper: "Ada Levi" },
        { id: 2, keeper: null },
      ]);
    }
});

const household = model(
  {
    Household: entity("household", {
      id: identity,
      name: text,
      address: value({ street: text, town: text.named("place"), position: value({ north: double, east: double }).nullable }),
      former: value({ street: text.nullable, town: text.nullable }).nullable,
    }),
  },
  { columnNames: snakeCase },
);
const { Household } = household;

test("value objects: nested, missing as a whole, in rows, predicates, projections, orders and new rows", async () => {
  const north = { north: 52.5, east: -0.25 };
  const rows = [
    { id: 1, name: "a", address: { street: "Elm", town: "Carrow", position: north }, former: null },
    { id: 2, name: "b", address: { street: "Ash", town: "Dunmere", position: null }, former: { street: null, town: "Carrow" } },
    { id: 3, name: "c", address: { street: "Bay", town: "Carrow", position: null }, former: null },
  ];
  expect(
    createTablesSql(household, { dialect: dialects.sqlite })[0]
      ?.match(/^ {2}\w+ \w+/gm)
      ?.slice(2)
      .map((line) => line.trim()),
  ).toEqual(["address_street text", "place text", "address_position_north real", "address_position_east real", "former_street text", "former_town text"]);
  for (const engine of all()) {
    for (const generateCode of [true, false]) {
      const db = engine.connect({ generateCode });
      await createTables(db, household);
      if (generateCode) {
        await db.insert(Household, [
          { name: "a", address: { street: "Elm", town: "Carrow", position: north } },
          { name: "b", address: { street: "Ash", town: "Dunmere" }, former: { town: "Carrow" } },
          { name: "c", address: { street: "Bay", town: "Carrow", position: null }, former: null },
        ]);
      }
      expect(await db.list(from(Household)), engine.name).toStrictEqual(rows);
      expect(
        await db.list(
          from(Household)
            .orderBy((h) => h.address.street.asc)
            .select((h) => ({ at: h.address, from: h.former, town: h.address.town })),
        ),
      ).toStrictEqual([rows[1], rows[2], rows[0]].map((row) => ({ at: row?.address, from: row?.former, town: row?.address.town })));
      expect(await db.count(from(Household).where((h) => and(h.address.town.is("Carrow"), h.address.position.north.is(null))))).toBe(1);
    }
    const half = { name: "d", address: { street: "Elm", town: "Carrow", position: { north: 1 } } } as unknown as NewRowOf<typeof Household>;
    await expect(engine.connect().insert(Household, [half])).rejects.toMatchObject({
      code: "COLUMN_WITHOUT_VALUE",
      names: { column: "Household.address.position.east" },
    });
    const wrong = { name: "d", address: { street: "Elm" } } as unknown as NewRowOf<typeof Household>;
    await expect(engine.connect().insert(Household, [wrong])).rejects.toMatchObject({
      code: "COLUMN_WITHOUT_VALUE",
      names: { column: "Household.address.town" },
    });
  }
  const result = await Household.newRowSchema["~standard"].validate({ name: "d", address: { street: 1, position: { north: 1 } } });
  expect(result.issues?.map(({ path, message }) => `${path?.join(".")}: ${message.replace(/.*but /, "")}`)).toEqual([
    "address.street: got a whole number",
    "address.town: is missing",
    "address.position.east: is missing",
  ]);
});

test("collations that are given, and indexes of some rows only", async () => {
  const { Term } = model({
    Term: entity(
      "term",
      {
        id: identity,
        word: varchar(20).collated({ sqlite: "nocase", postgres: "und-x-icu", mariadb: "utf8mb4_unicode_ci" }),
        plain: varchar(20),
        gone: date.nullable,
      },
      {},
      { indexes: [{ on: ["word"], when: { gone: null } }] },
    ),
  });
  for (const engine of all()) {
    if (engine.name === "pglite") continue; // it comes without the ICU collations
    const db = engine.connect();
    await createTables(db, { Term });
    await db.insert(
      Term,
      ["b", "A", "a", "B"].map((word) => ({ word, plain: word })),
    );
    const sorted = async (by: "word" | "plain") =>
      (
        await db.list(
          from(Term)
            .orderBy((t) => t[by].asc)
            .select((t) => t[by]),
        )
      ).join("");
    expect((await sorted("word")).toLowerCase(), engine.name).toBe("aabb");
    expect(await sorted("plain"), engine.name).toBe("ABab");
  }
  expect(createTablesSql({ Term }, { dialect: dialects.postgres })[1]).toBe("create index if not exists term_word on term (word) where gone is null");
  expect(createTablesSql({ Term }, { dialect: dialects.mariadb })[1]).toBe("create index if not exists term_word on term (word)");
  const { Once } = model({
    Once: entity("once", { id: identity, word: text, state: choice("on", "off") }, {}, { indexes: [{ on: ["word"], unique: true, when: { state: "on" } }] }),
  });
  expect(createTablesSql({ Once }, { dialect: dialects.sqlite })[1]).toContain("unique index if not exists once_word on once (word) where state = 'on'");
  expect(() => createTablesSql({ Once }, { dialect: dialects.mariadb })).toThrow(expect.objectContaining({ code: "INDEX_UNABLE" }));
});

test("names of indexes and constraints are distinct, and stay when others come", async () => {
  const long = "a_table_whose_name_is_as_long_as_names_of_tables_may_be_anywhere";
  const columns = { id: identity, room: varchar(20), shelf: varchar(20), gone: date.nullable };
  const names = (...indexes: IndexDefinition<"room" | "shelf" | "gone">[]) => {
    const { One, Other, Long } = model({
      One: entity("a_b", { id: identity, c: integer }, {}, { indexes: [{ on: ["c"] }] }),
      Other: entity("a", { id: identity, b: integer, c: integer }, {}, { indexes: [{ on: ["b", "c"] }] }),
      Long: entity(long.slice(0, 63), columns, {}, { indexes, checks: (l) => ({ here: l.room.isNot(""), there: l.shelf.isNot("") }) }),
    });
    const texts = createTablesSql({ One, Other, Long }, { dialect: dialects.sqlite });
    return texts.flatMap((sql) => [...sql.matchAll(/(?:index if not exists|constraint) (\w+)/g)].map((match) => match[1] as string));
  };
  const few = names({ on: ["room"] }, { on: ["room"], unique: true, when: { gone: null } });
  const more = names({ on: ["shelf"] }, { on: ["room"], unique: true, when: { gone: null } }, { on: ["room"] }, { on: ["room desc"] });
  expect(new Set(more).size).toBe(more.length);
  expect(more).toEqual(expect.arrayContaining([...few]));
  expect(Math.max(...more.map((name) => name.length))).toBeLessThanOrEqual(63);
});

test("a session of MariaDB is strict, and its tables hold all of Unicode and keep keys", async () => {
  const maria = all().find(({ name }) => name === "mariadb");
  if (maria === undefined) return;
  const { Note } = model({ Note: entity("note", { id: identity, text: varchar(3) }) });
  await createTables(maria.connect(), { Note });
  await expect(maria.execute("insert into note (text) values ('four')")).rejects.toThrow(/too long/);
  const [settings] = await maria.rows("select engine, table_collation from information_schema.tables where table_name = 'note' and table_schema = database()");
  expect(settings).toEqual(["InnoDB", "utf8mb4_nopad_bin"]);
});
