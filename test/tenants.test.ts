import fc from "fast-check";
import { expect, test } from "vitest";
import { sqliteDialect } from "../src/drivers/sqlite.js";
import { createTables, type Database, entity, from, identity, integer, literal, model, preview, text, toMany, toOne } from "../src/index.js";
import { openEntities } from "../src/schema/entry.js";
import { eachEngine, useEngines } from "./support/engines.js";

// What a handle may not see it may not write, refer to or be told of, by any way of reading or writing, nor by a key.
const { all } = useEngines(true);
const own = { own: { column: "organiserId", given: "organiser" } } as const;
const stage = model({
  Organiser: entity("tn_organiser", { id: identity, name: text }),
  Show: entity(
    "tn_show",
    { id: identity, organiserId: integer, name: text, sequelId: integer.nullable },
    {
      organiser: toOne("Organiser", { by: "organiserId" }),
      sequel: toOne("Show", { by: "sequelId" }),
      days: toMany("Day", { by: "showId" }),
    },
    { standing: own },
  ),
  Member: entity("tn_member", { id: identity, organiserId: integer, name: text }, { seats: toMany("Seat", { by: "memberId" }) }, { standing: own }),
  Day: entity(
    "tn_day",
    { id: identity, showId: integer, at: text },
    { show: toOne("Show", { by: "showId" }), seats: toMany("Seat", { by: "dayId" }) },
    { standing: { own: { through: "show" } } },
  ),
  Seat: entity(
    "tn_seat",
    { id: identity, dayId: integer, name: text, memberId: integer.nullable },
    { day: toOne("Day", { by: "dayId" }), member: toOne("Member", { by: "memberId", missing: "error" }) },
    { standing: { own: { through: "day" } } },
  ),
  /** Says itself that it is open to all. */
  Word: entity("tn_word", { id: identity, showId: integer, words: text }, { show: toOne("Show", { by: "showId" }) }, { open: "words of praise are public" }),
});
const { Organiser, Show, Member, Day, Seat, Word } = stage;
const everyShow = from(Show).lift("own");
const everyMember = from(Member).lift("own");
const everyDay = from(Day).lift("own");
const everySeat = from(Seat).lift("own");

async function filled(db: Database): Promise<readonly [Database, Database]> {
  await createTables(db, stage);
  await db.delete(from(Word), { all: true });
  await db.delete(everySeat, { all: true });
  await db.delete(everyDay, { all: true });
  await db.update(everyShow, { sequelId: null }, { all: true });
  for (const every of [everyShow, everyMember] as const) await db.delete(every as typeof everyShow, { all: true });
  await db.delete(from(Organiser), { all: true });
  await db.insert(
    Organiser,
    [1, 2].map((id) => ({ id, name: `o${id}` })),
  );
  const handles = [db.as({ organiser: 1 }), db.as({ organiser: 2 })] as const;
  for (const [at, handle] of handles.entries()) {
    const base = (at + 1) * 10;
    await handle.insert(
      Show,
      [1, 2].map((n) => ({ id: base + n, name: `show ${base + n}` })),
    );
    await handle.insert(
      Member,
      [1, 2].map((n) => ({ id: base + n, name: `member ${base + n}` })),
    );
    await handle.insert(
      Day,
      [1, 2].map((n) => ({ id: base + n, showId: base + n, at: "monday" })),
    );
    await handle.insert(
      Seat,
      [1, 2].map((n) => ({ id: base + n, dayId: base + n, name: "a", memberId: base + n })),
    );
  }
  return handles;
}

/** All rows that are the second organiser's, and all that are of nobody. */
const theirs = async (db: Database): Promise<unknown> => [
  await db.list(everyShow.where((s) => s.organiserId.isNot(1))),
  await db.list(everyMember.where((m) => m.organiserId.isNot(1))),
  await db.list(everyDay.where((d) => d.id.above(20))),
  await db.list(everySeat.where((s) => s.id.above(20))),
];

type Attempt = readonly [what: string, code: string | undefined, attempt: (mine: Database) => Promise<unknown>];
const hidden = "REFERENCE_HIDDEN";
const attempts: readonly Attempt[] = [
  [
    "an insert of a child below another's row",
    hidden,
    (db) =>
      db.insert(Day, [
        { showId: 11, at: "x" },
        { showId: 21, at: "x" },
      ]),
  ],
  ["an insert two levels below", hidden, (db) => db.insert(Seat, [{ dayId: 21, name: "x" }])],
  ["an insert that refers to another's row beside", hidden, (db) => db.insert(Seat, [{ dayId: 11, name: "x", memberId: 21 }])],
  ["an insert of an open entity below another's row", hidden, (db) => db.insert(Word, [{ showId: 21, words: "x" }])],
  ["rows in turn", hidden, (db) => db.insert(Day, [{ showId: 21, at: "x" }].values())],
  ["an upsert of a new row", hidden, (db) => db.upsert(Day, [{ showId: 21, at: "x" }])],
  ["an upsert of one's own row", hidden, (db) => db.upsert(Day, [{ id: 11, showId: 21, at: "x" }])],
  ["an upsert of another's key", "UNIQUE_VIOLATED", (db) => db.upsert(Day, [{ id: 21, showId: 11, at: "x" }])],
  ["an upsert by a function", hidden, (db) => db.upsert(Day, [{ id: 11, showId: 11, at: "x" }], { set: () => ({ showId: 21 }) })],
  ["an update by a value", hidden, (db) => db.update(from(Day).byKey(11), { showId: 21 })],
  ["an update by an expression", hidden, (db) => db.update(from(Day).byKey(11), (d) => ({ showId: d.showId.plus(10) }))],
  ["an update of a column beside", hidden, (db) => db.update(from(Seat).byKey(11), { memberId: 22 })],
  ["an update of a self relation", hidden, (db) => db.update(from(Show).byKey(11), { sequelId: 21 })],
  [
    "updateRows",
    hidden,
    (db) =>
      db.updateRows(Seat, [
        { id: 11, memberId: 11 },
        { id: 12, memberId: 22 },
      ]),
  ],
  ["updateRows of another's rows", undefined, (db) => db.updateRows(Day, [{ id: 21, at: "stolen" }])],
  [
    "insertFrom",
    hidden,
    (db) =>
      db.insertFrom(
        Day,
        from(Organiser)
          .where((o) => o.id.is(1))
          .select((o) => ({ showId: o.id.plus(20), at: literal(text, "x") })),
      ),
  ],
  ["an update of another's rows", undefined, (db) => db.update(from(Seat), { name: "stolen" }, { all: true })],
  ["a unit of work, by assignment after add", "STANDING_BROKEN", (db) => db.work(async (w) => Object.assign(w.add(Show, { name: "x" }), { organiserId: 2 }))],
  [
    "a unit of work, by a relation on the tenant's column",
    "STANDING_BROKEN",
    (db) =>
      db.work(async (w) => {
        const show = w.add(Show, { name: "x" });
        show.organiser = await w.byKey(Organiser, 2);
      }),
  ],
  ["a unit of work, a new row by its key", hidden, (db) => db.work(async (w) => w.add(Day, { showId: 21, at: "x" }))],
  ["a unit of work, a changed key", hidden, (db) => db.work(async (w) => Object.assign(await w.byKey(Day, 11), { showId: 21 }))],
  [
    "a unit of work, a row that a lifted condition brought",
    hidden,
    (db) =>
      db.work(async (w) => {
        const [foreign] = await w.list(everyMember.byKey(21));
        const seat = await w.byKey(Seat, 11);
        seat.member = foreign as NonNullable<typeof foreign>;
      }),
  ],
  ["a unit of work, another's key", "NONE_FOUND", (db) => db.work(async (w) => w.remove(await w.byKey(Seat, 21)))],
  ["a patch with another's key", hidden, (db) => db.work(async (w) => w.patch(await w.byKey(Seat, 11), { memberId: 21 }))],
  ["a patch with a child", hidden, (db) => db.work(async (w) => w.patch(await w.byKey(Day, 11), { seats: [{ name: "x", memberId: 21 }] }))],
  [
    "a deletion of all",
    undefined,
    (db) => db.transaction(async (tx) => [await tx.delete(from(Seat), { all: true }), await tx.delete(from(Day), { all: true })]),
  ],
];

eachEngine(all, "no way of writing reaches rows of another handle, nor refers to them", async (db, engine) => {
  const [mine, other] = await filled(db);
  const before = await theirs(db);
  for (const [what, code, attempt] of attempts) {
    const end = await attempt(mine).then(
      () => undefined,
      (error: { code?: string }) => error.code ?? String(error),
    );
    expect(end, what).toBe(code);
    expect(await theirs(db), what).toEqual(before);
    expect((await mine.list(from(Seat).reach({ member: true, day: { show: true } }))).length, what).toBeLessThanOrEqual(2);
    expect((await other.list(from(Seat).reach({ member: true, day: { show: true } }))).length, what).toBe(2);
  }
  // A hook of the application's cannot do it either.
  const hooked = engine.connect({ hooks: { beforeWrite: ({ entity: name }) => (name === "Show" ? { organiserId: 2 } : undefined) } }).as({ organiser: 1 });
  await expect(hooked.work(async (w) => w.add(Show, { name: "x" }))).rejects.toMatchObject({ code: "STANDING_BROKEN" });
  expect(await theirs(db)).toEqual(before);
});

eachEngine(all, "a handle reads its own rows alone, also of tables without a tenant's column, by every strategy", async (db) => {
  const [mine] = await filled(db);
  for (const how of ["join", "batch", "nest", "auto"] as const) {
    const ids = (rows: readonly { id: number }[]) => rows.map(({ id }) => id);
    expect(
      ids(
        await mine.list(
          from(Seat)
            .how(how)
            .reach({ day: { show: true } }),
        ),
      ),
    ).toEqual([11, 12]);
    const shows = await mine.list(
      from(Show)
        .how(how)
        .reach({ days: { seats: true } }),
    );
    expect(shows.flatMap(({ days }) => days.flatMap(({ seats }) => ids(seats)))).toEqual([11, 12]);
    // An open entity may lead to a row that is hidden.
    await db.insert(Word, [{ showId: 21, words: "praise" }]);
    expect((await mine.list(from(Word).how(how).reach({ show: true }))).map(({ show }) => show)).toEqual(expect.arrayContaining([null]));
  }
  expect(await mine.count(from(Day))).toBe(2);
  expect(await mine.count(from(Seat).where((s) => s.day.show.name.startsWith("show")))).toBe(2);
  expect(await mine.list(from(Show).select((s) => s.days.seats.count()))).toEqual([1, 1]);
  expect(await mine.exists(from(Seat).byKey(21))).toBe(false);
  expect(await mine.count(everySeat)).toBe(4);
  await expect(db.list(from(Seat))).rejects.toMatchObject({ code: "STANDING_OPEN" });
});

eachEngine(all, "a constraint that is trusted says that a row is there, and not that it is seen", async (db, engine) => {
  const [mine] = await filled(db);
  // Somebody else's program has written it.
  await db.update(everySeat.byKey(11), { memberId: 21 });
  const trusting = engine.connect({ trustConstraints: true }).as({ organiser: 1 });
  for (const handle of [mine, trusting])
    for (const how of ["join", "batch", "nest", "auto"] as const) {
      const seats = from(Seat).how(how);
      await expect(handle.list(seats.reach({ member: true })), how).rejects.toMatchObject({ code: "RELATED_MISSING" });
      expect(await handle.list(seats.where((s) => s.id.is(12)).reach({ member: true })), how).toMatchObject([{ member: { id: 12 } }]);
    }
});

test("a model tells which of its entities are open below those of handles", () => {
  expect(openEntities(stage)).toEqual([]);
  const loose = model({
    Show: entity("show", { id: identity, organiserId: integer }, {}, { standing: own }),
    Day: entity("day", { id: identity, showId: integer }, { show: toOne("Show", { by: "showId" }) }),
    Seat: entity("seat", { id: identity, dayId: integer }, { day: toOne("Day", { by: "dayId" }) }),
    Price: entity("price", { id: identity, showId: integer }, { show: toOne("Show", { by: "showId" }) }, { open: "prices are public" }),
  });
  expect(openEntities(loose)).toEqual([
    { entity: "Day", path: "show", leadsTo: "Show" },
    { entity: "Seat", path: "day.show", leadsTo: "Show" },
  ]);
  expect(() => model({ A: entity("a", { id: identity }, {}, { standing: { own: { through: "b" } } }) })).toThrow("goes through 'b'");
  expect(() =>
    model({
      A: entity("a", { id: identity, upId: integer.nullable }, { up: toOne("A", { by: "upId" }) }, { standing: { own: { through: "up" } } }),
    }),
  ).toThrow("lead back to it");
  expect(preview(from(Seat), { dialect: sqliteDialect })[0]?.text).toContain("exists");
});

/** How many random runs are tried on SQLite; a tenth of it on each other engine. */
const runs = Number(process.env.GEMACH_TENANTS ?? (process.env.CI ? 100 : 30));
// biome-ignore lint/suspicious/noExplicitAny: the test chooses entities and columns by chance
type Any = any;

eachEngine(all, "random reads and writes of two handles stay with their own rows", async (db, { name }) => {
  const allowed = new Set([
    "REFERENCE_HIDDEN",
    "STANDING_BROKEN",
    "UNIQUE_VIOLATED",
    "NONE_FOUND",
    "FOREIGN_KEY_VIOLATED",
    "CONFLICT",
    "RELATED_MISSING",
    "TRANSACTION_FAILED",
  ]);
  const entities: Any = { Show, Member, Day, Seat };
  const keysOf: Any = { Show: ["sequelId"], Member: [], Day: ["showId"], Seat: ["dayId", "memberId"] };
  const targetOf: Any = { sequelId: "Show", showId: "Show", dayId: "Day", memberId: "Member" };
  const labelOf: Any = { Show: "name", Member: "name", Day: "at", Seat: "name" };
  const everything: Any = { Show: everyShow, Member: everyMember, Day: everyDay, Seat: everySeat };
  const step = fc.record({
    who: fc.nat(1),
    verb: fc.nat(9),
    entity: fc.constantFrom("Show", "Member", "Day", "Seat"),
    row: fc.nat(30),
    key: fc.nat(60),
    other: fc.nat(60),
  });
  /** Whose each row is, past all conditions; a row that leads to another's is a leak. */
  const ownersOf = async () => {
    const rows: Any = {};
    for (const one of Object.keys(everything)) rows[one] = (await db.list(everything[one])) as Any[];
    const by = (of: string) => new Map<number, Any>(rows[of].map((row: Any) => [row.id, row]));
    const [shows, days, members] = [by("Show"), by("Day"), by("Member")];
    const ownerOf: Any = {
      Show: (row: Any) => row.organiserId,
      Member: (row: Any) => row.organiserId,
      Day: (row: Any) => shows.get(row.showId)?.organiserId,
      Seat: (row: Any) => shows.get(days.get(row.dayId)?.showId)?.organiserId,
    };
    for (const row of rows.Show) if (row.sequelId !== null) expect(shows.get(row.sequelId)?.organiserId).toBe(row.organiserId);
    for (const row of rows.Seat) if (row.memberId !== null) expect(members.get(row.memberId)?.organiserId).toBe(ownerOf.Seat(row));
    return Object.fromEntries(
      [1, 2].map((who) => [
        who,
        Object.keys(rows).flatMap((one) => rows[one].filter((row: Any) => ownerOf[one](row) === who).map((row: Any) => ({ one, ...row }))),
      ]),
    ) as Any;
  };
  await fc.assert(
    fc.asyncProperty(fc.array(step, { maxLength: 20 }), async (steps) => {
      const handles = await filled(db);
      for (const { who, verb, entity: one, row, key, other } of steps) {
        const [handle, Entity] = [handles[who] as Database, entities[one]];
        const before = (await ownersOf())[2 - who];
        const ids = ((await db.list(everything[one])) as Any[]).map(({ id }) => id);
        const id = ids[row % Math.max(1, ids.length)] ?? 0;
        const target = keysOf[one][key % Math.max(1, keysOf[one].length)];
        const targets = target === undefined ? [] : ((await db.list(everything[targetOf[target]])) as Any[]);
        const led = target === undefined ? {} : { [target]: targets[other % Math.max(1, targets.length)]?.id ?? null };
        const fresh = {
          [labelOf[one]]: `x${key}`,
          ...(one === "Seat" ? { dayId: ((await db.list(everyDay)) as Any[])[key % 3]?.id ?? 0 } : {}),
          ...(one === "Day" ? { showId: 11 } : {}),
          ...led,
        };
        const work: readonly (() => Promise<unknown>)[] = [
          () => handle.insert(Entity, [fresh] as Any),
          () => handle.upsert(Entity, [{ id, ...fresh }] as Any),
          () => handle.update((from(Entity) as Any).byKey(id), { ...led, [labelOf[one]]: "u" } as Any),
          () =>
            (handle as Any).update(
              from(Entity) as Any,
              (r: Any) => (target === undefined ? { [labelOf[one]]: "f" } : { [target]: r[target].plus(key % 2 === 0 ? 0 : 10) }),
              { all: true } as Any,
            ),
          () => handle.updateRows(Entity, [{ id, [labelOf[one]]: "r", ...led }] as Any),
          () => handle.delete((from(Entity) as Any).byKey(id)),
          () => handle.work(async (w) => void w.add(Entity, fresh as Any)),
          () => handle.work(async (w) => void Object.assign((await w.byKey(Entity, id)) as Any, { [labelOf[one]]: "w", ...led })),
          () => handle.work(async (w) => w.remove((await w.byKey(Entity, id)) as Any)),
          () => handle.work(async (w) => await w.patch((await w.byKey(Entity, id)) as Any, { [labelOf[one]]: "p", ...led })),
        ];
        await (work[verb] as () => Promise<unknown>)().catch((error: { code?: string }) => {
          if (!allowed.has(error.code ?? "")) throw error;
        });
        const after = await ownersOf();
        expect(after[2 - who], `${verb} of ${one}`).toEqual(before);
        const seen = ((await handle.list(from(Entity) as Any)) as Any[]).map((r) => r.id).toSorted();
        expect(seen).toEqual(
          after[who + 1]
            .filter((r: Any) => r.one === one)
            .map((r: Any) => r.id)
            .toSorted(),
        );
      }
    }),
    { numRuns: name.includes("sqlite") ? runs : Math.ceil(runs / 10), includeErrorInReport: true },
  );
});

const pairs = model({
  Aisle: entity("tn_aisle", { aisle: text.key, place: integer.key, organiserId: integer }, {}, { standing: own }),
  Crate: entity(
    "tn_crate",
    { id: identity, aisle: text, place: integer, name: text },
    { at: toOne("Aisle", { by: ["aisle", "place"] }) },
    { standing: { own: { through: "at" } } },
  ),
});

eachEngine(all, "a key that is changed in part leads where the whole of it does, by whomever rows share that part with", async (db) => {
  await createTables(db, pairs);
  const { Aisle, Crate } = pairs;
  const handle = db.as({ organiser: 1 });
  await handle.insert(Aisle, [
    { aisle: "a", place: 1 },
    { aisle: "b", place: 1 },
  ]);
  await db.as({ organiser: 2 }).insert(Aisle, [
    { aisle: "b", place: 2 },
    { aisle: "c", place: 1 },
  ]);
  await handle.insert(Crate, [
    { id: 1, aisle: "a", place: 1, name: "one" },
    { id: 2, aisle: "a", place: 1, name: "two" },
  ]);
  const moved = (aisle: string) =>
    handle.work(async (w) => {
      (await w.byKey(Crate, 1)).aisle = aisle;
    });
  await moved("b");
  await expect(moved("c")).rejects.toMatchObject({ code: hidden });
  await expect(handle.updateRows(Crate, [{ id: 1, place: 2 }])).rejects.toMatchObject({ code: hidden });
  await handle.updateRows(Crate, [
    { id: 1, aisle: "a" },
    { id: 2, aisle: "b" },
  ]);
  expect(await handle.list(from(Crate).select((c) => c.aisle))).toEqual(["a", "b"]);
});
