import Sqlite from "better-sqlite3";
import fc from "fast-check";
import { expect, expectTypeOf, test } from "vitest";
import { sqlite } from "../src/drivers/sqlite.js";
import {
  along,
  createTables,
  type Database,
  database,
  entity,
  exists,
  from,
  identity,
  integer,
  linked,
  model,
  preview,
  text,
  timestamp,
  toMany,
  toOne,
  varchar,
  via,
} from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

const { all } = useEngines(true);
const present = { column: "gone", is: null, removed: () => new Date(1000) } as const;
const branch = { column: "branchId", given: "branch" } as const;
const club = model({
  Room: entity(
    "st_room",
    { id: identity, branchId: integer, name: text, gone: timestamp.nullable },
    { chairs: toMany("Chair", { by: "roomId" }), labels: via("chairs", "labels") },
    { standing: { present, branch } },
  ),
  Chair: entity(
    "st_chair",
    { id: identity, branchId: integer, roomId: integer, name: text, gone: timestamp.nullable },
    {
      room: toOne("Room", { by: "roomId" }),
      labels: linked("Label", { by: "Mark" }),
      sure: toOne("Room", { by: "roomId", missing: "error" }),
    },
    { standing: { present, branch } },
  ),
  Label: entity(
    "st_label",
    { id: identity, name: text, gone: timestamp.nullable, upId: integer.nullable },
    {
      chairs: linked("Chair", { by: "Mark" }),
      up: toOne("Label", { by: "upId" }),
      down: toMany("Label", { by: "upId" }),
    },
    { standing: { present } },
  ),
  Mark: entity(
    "st_mark",
    { chairId: integer.key, labelId: integer.key },
    {
      chair: toOne("Chair", { by: "chairId" }),
      label: toOne("Label", { by: "labelId" }),
    },
  ),
});
const { Room, Chair, Label, Mark } = club;
const gone = new Date(5000);

/** Two branches, in each of which some rows are gone. */
async function filled(db: Database): Promise<{ readonly one: Database; readonly two: Database }> {
  await createTables(db, club);
  const [one, two] = [db.as({ branch: 1 }), db.as({ branch: 2 })];
  for (const at of [one, two]) {
    for (const of of [Mark, Chair, Room, Label] as const)
      await at.deleteForGood(from(of as typeof Room).lift("present"), { all: true }).catch(() => at.delete(from(Mark), { all: true }));
  }
  for (const at of [one, two]) {
    const [a, b] = await at.insert(Room, [{ name: "a" }, { name: "b", gone }], { returning: (r) => r.id });
    const chairs = await at.insert(
      Chair,
      [
        { roomId: a as number, name: "a1" },
        { roomId: a as number, name: "a2", gone },
        { roomId: b as number, name: "b1" },
      ] as never,
      { returning: (c) => c.id },
    );
    const labels = await at.insert(Label, [{ name: "new" }, { name: "old", gone }], { returning: (l) => l.id });
    for (const chairId of chairs as number[]) for (const labelId of labels) await at.insert(Mark, [{ chairId, labelId }]);
  }
  return { one, two };
}

eachEngine(all, "a standing condition holds wherever its entity is met, by every strategy, unless it is lifted", async (db) => {
  const { one, two } = await filled(db);
  const rooms = (at: Database) => at.list(from(Room).select((r) => r.name));
  expect([await rooms(one), await rooms(two), await one.count(from(Chair))]).toEqual([["a"], ["a"], 2]);
  await expect(rooms(db)).rejects.toMatchObject({ code: "STANDING_OPEN" });
  for (const how of ["join", "batch", "nest"] as const) {
    const [room] = await one.list(
      from(Room)
        .reach({ chairs: { labels: true }, labels: true })
        .how(how),
    );
    expect([room?.chairs.map((c) => [c.name, c.labels.map((l) => l.name)]), room?.labels.map((l) => l.name)], how).toEqual([[["a1", ["new"]]], ["new"]]);
    const chairs = await one.list(from(Chair).reach({ room: true }).how(how));
    expectTypeOf(chairs[0]?.room).toExtend<{ name: string } | null | undefined>();
    expect(
      chairs.map((c) => [c.name, c.room?.name ?? null]),
      how,
    ).toEqual([
      ["a1", "a"],
      ["b1", null],
    ]);
    await expect(one.list(from(Chair).reach({ sure: true }).how(how))).rejects.toMatchObject({ code: "RELATED_MISSING" });
    const lifted = await one.list(from(Chair).reach({ room: true, labels: true }).lift("present").how(how));
    expect(
      lifted.map((c) => [c.name, c.room?.name ?? null, c.labels.length]),
      how,
    ).toEqual([
      ["a1", "a", 2],
      ["a2", "a", 2],
      ["b1", "b", 2],
    ]);
    const within = await one.list(
      from(Room)
        .reach({ chairs: (c) => c.lift("present") })
        .how(how),
    );
    expect(
      within.map((r) => r.chairs.map((c) => c.name)),
      how,
    ).toEqual([["a1", "a2"]]);
  }
  const told = await one.list(
    from(Chair).select((c) => ({ name: c.name, room: c.room.name, labels: c.labels.count(), with: c.labels.where((l) => l.name.is("old")).exists() })),
  );
  expect(told).toEqual([
    { name: "a1", room: "a", labels: 1, with: false },
    { name: "b1", room: null, labels: 1, with: false },
  ]);
  const beside = from(Room)
    .join(Chair, (r, c) => c.roomId.is(r.id))
    .select((r, c) => ({ room: r.name, chair: c.name }));
  expect(await one.list(beside)).toEqual([{ room: "a", chair: "a1" }]);
  expect(await one.count(from(Chair).where((c) => exists(from(Room).where((r) => r.id.is(c.roomId)))))).toBe(1);
  const [room] = await one.list(from(Room));
  if (room === undefined) throw new Error("no room");
  expect([await one.count(along(Room, room, "chairs")), await one.count(along(Room, room, "labels"))]).toEqual([1, 1]);
  expect((await one.reach([room], Room, { chairs: true }))[0]?.chairs.map((c) => c.name)).toEqual(["a1"]);
  expect(preview(from(Room), { dialect: db.dialect })[0]?.text).toMatch(/ where .*gone.* is null and .*branch.* = /);
  expect(() => from(Room).lift("presents")).toThrow(/presents/);
});

eachEngine(all, "a restricted handle writes its own rows alone, and removal marks", async (db) => {
  const { one, two } = await filled(db);
  await expect(one.insert(Room, [{ branchId: 2, name: "x" }])).rejects.toMatchObject({ code: "STANDING_BROKEN" });
  await expect(
    one.update(
      from(Room).where((r) => r.name.is("a")),
      { branchId: 2 },
    ),
  ).rejects.toMatchObject({ code: "STANDING_BROKEN" });
  expect(await one.update(from(Room), { name: "A" }, { all: true })).toBe(1);
  const [theirs] = await two.list(from(Room));
  const [hidden] = await one.list(
    from(Room)
      .lift("present")
      .where((r) => r.name.is("b")),
  );
  expect([
    theirs?.name,
    await one.updateRows(Room, [
      { id: theirs?.id as number, name: "mine" },
      { id: hidden?.id as number, name: "mine" },
    ]),
    await one.delete(from(Room).where((r) => r.name.is("b"))),
  ]).toEqual(["a", 0, 0]);
  await one.work(async (w) => {
    const room = await w.single(from(Room));
    const [chair] = await room.chairs;
    const added = w.add(Chair, { room, name: "new" });
    await w.flush();
    expect(added.branchId).toBe(1);
    if (chair !== undefined) w.remove(chair);
    expect(await room.chairs).toEqual([added]);
  });
  expect(await one.list(from(Chair).select((c) => c.name))).toEqual(["b1", "new"]);
  expect(
    await one.list(
      from(Chair)
        .lift("present")
        .where((c) => c.name.is("a1"))
        .select((c) => c.gone),
    ),
  ).toEqual([new Date(1000)]);
  expect(await one.transaction((tx) => tx.count(from(Room)))).toBe(1);
  // Inside of a transaction too, whichever branch the handle that opened it is of, and undone with it.
  const seen: unknown[] = [];
  const failing = db.transaction(async (tx) => {
    for (const id of [1, 2]) {
      await tx.as({ branch: id }).insert(Room, [{ name: `new ${id}` }]);
      seen.push(
        await tx.as({ branch: id }).list(
          from(Room)
            .where((r) => r.name.startsWith("new"))
            .select((r) => ({ of: r.branchId, name: r.name })),
        ),
      );
    }
    await tx.count(from(Room)).catch((error) => seen.push(error.code));
    throw new Error("undone");
  });
  await expect(failing).rejects.toThrow("undone");
  expect(seen).toEqual([[{ of: 1, name: "new 1" }], [{ of: 2, name: "new 2" }], "STANDING_OPEN"]);
  expect(await two.count(from(Room).where((r) => r.name.startsWith("new")))).toBe(0);
});

eachEngine(all, "a hidden row ends a tree", async (db) => {
  await filled(db);
  const [top, mid, low] = await db.insert(Label, [{ name: "top" }, { name: "mid", gone }, { name: "low" }, { name: "side" }], { returning: (l) => l.id });
  await db.updateRows(Label, [
    { id: mid as number, upId: top as number },
    { id: low as number, upId: mid as number },
  ]);
  await db.update(
    from(Label).where((l) => l.name.is("side")),
    { upId: top as number },
  );
  await db.update(
    from(Label)
      .lift("present")
      .where((l) => l.name.is("mid")),
    { upId: top as number },
  );
  const below = async (lifted: boolean) => {
    const start = from(Label).where((l) => l.name.is("top"));
    const tree = (lifted ? start.lift("present") : start).reach({ down: (d) => d.deep() });
    const [root] = (await db.list(tree)) as unknown as { down: { name: string; down: unknown[] }[] }[];
    return root?.down.map(({ name, down }) => [name, down.length]);
  };
  expect([await below(false), await below(true)]).toEqual([
    [["side", 0]],
    [
      ["mid", 1],
      ["side", 0],
    ],
  ]);
  const names = await db.list(
    from(Label)
      .where((l) => l.name.is("top"))
      .descend("down")
      .select((l, place) => ({ name: l.name, depth: place.depth })),
  );
  expect(names.map(({ name, depth }) => [name, depth])).toEqual([
    ["top", 0],
    ["side", 1],
  ]);
});

const shared = model({
  Shelf: entity(
    "st_shelf",
    { id: integer.key, branchId: integer, name: varchar(20).unique, size: integer.nullable },
    { boxes: toMany("Box", { by: "shelfId", owns: true }) },
    { standing: { branch } },
  ),
  Box: entity("st_box", { id: identity, branchId: integer, shelfId: integer }, { shelf: toOne("Shelf", { by: "shelfId" }) }, { standing: { branch } }),
});
const { Shelf } = shared;

test("what a handle gives is in the previews with it, of reads and of writes", () => {
  const one = database(sqlite(new Sqlite(":memory:"))).as({ branch: 1 });
  const named = from(Shelf).where((s) => s.name.is("a"));
  const texts = [
    preview(named.limit(1), one),
    preview.update(named, { size: 2 }, one),
    preview.insert(Shelf, [{ id: 1, name: "a" }], one),
    preview.insertFrom(
      Shelf,
      named.select((s) => ({ id: s.id.plus(1), name: s.name })),
      one,
    ),
  ].map(([statement]) => [statement?.text, statement?.parameters]);
  expect(texts).toEqual([
    [expect.stringContaining('st_shelf."branchId" = ?'), [1, "a", 1]],
    ['update st_shelf set size = ? where st_shelf."branchId" = ? and st_shelf.name = ?', [2, 1, "a"]],
    ['insert into st_shelf (id, "branchId", name) values (?, ?, ?)', [1, 1, "a"]],
    [
      expect.stringMatching(/^insert into st_shelf \(id, name, "branchId"\) select gemach_fit_whole\(\(st_shelf.id \+ 1\), 32\), st_shelf.name, \? from/),
      expect.arrayContaining(["a"]),
    ],
  ]);
  expect(() => preview.insert(Shelf, [{ id: 1, name: "a" }], { dialect: one.dialect })).toThrow(expect.objectContaining({ code: "STANDING_OPEN" }));
});

const id = fc.integer({ min: 1, max: 6 });
const name = fc.constantFrom("a", "b", "c", "d");
const whose = fc.option(fc.constantFrom(1, 2), { nil: undefined });
/** Ways to write a shelf, by a handle of the first branch. */
const write = fc.oneof(
  fc.record({ verb: fc.constantFrom("insert", "upsert", "upsertByName", "upsertSet", "updateRows", "add"), id, name, branchId: whose }),
  fc.record({ verb: fc.constantFrom("insertFrom", "update", "delete", "remove"), id, name, branchId: whose }),
  fc.record({ verb: fc.constantFrom("assign", "assignUnfetched", "patch", "patchBox"), id, name, branchId: whose }),
);

type Write = typeof write extends fc.Arbitrary<infer W> ? W : never;

async function written(one: Database, { verb, id: key, name: called, branchId }: Write): Promise<unknown> {
  const given = branchId === undefined ? {} : { branchId };
  const row = { id: key, name: called, ...given };
  const at = from(Shelf).where((s) => s.id.is(key));
  if (verb === "insert") return await one.insert(Shelf, [row]);
  if (verb === "upsert") return await one.upsert(Shelf, [row, { id: 7, name: "z" }]);
  if (verb === "upsertByName") return await one.upsert(Shelf, [row], { by: ["name"] });
  if (verb === "upsertSet") return await one.upsert(Shelf, [row], { set: (old) => ({ size: old.size.plus(1), ...given }) });
  if (verb === "updateRows") return await one.updateRows(Shelf, [row]);
  if (verb === "update") return await one.update(at, { name: called, ...given });
  if (verb === "delete") return await one.delete(at);
  if (verb === "insertFrom")
    return await one.insertFrom(
      Shelf,
      from(Shelf).select((s) => ({ id: s.id.plus(10), name: s.name.concat("!"), ...(branchId === undefined ? {} : { branchId: s.branchId }) })),
    );
  return await one.work(async (w) => {
    if (verb === "add") return void w.add(Shelf, row);
    const [shelf] = await w.list(verb === "assignUnfetched" ? from(Shelf).columns("id").limit(1) : at);
    if (shelf === undefined) return;
    if (verb === "remove") w.remove(shelf);
    else if (verb === "patch") await w.patch(shelf, { name: called, ...given });
    else if (verb === "patchBox") await w.patch(shelf, { boxes: [{ id: key, ...given }, given] });
    else Object.assign(shelf, { name: called, size: 9, ...given });
  });
}

eachEngine(all, "however a handle writes, the rows of another one stay as they are, and none goes over to it", async (db, engine) => {
  await createTables(db, shared);
  // What the handle gives is not asked for in a row that comes from outside.
  expect(await Shelf.newRowSchema["~standard"].validate({ id: 1, name: "a" })).toEqual({ value: { id: 1, name: "a" } });
  const [one, two] = [db.as({ branch: 1 }), db.as({ branch: 2 })];
  const theirs = () =>
    Promise.all([
      two.list(from(Shelf).reach({ boxes: true })),
      db.count(
        from(Shelf)
          .lift("branch")
          .where((s) => s.branchId.notOneOf([1, 2])),
      ),
    ]);
  await fc.assert(
    fc.asyncProperty(fc.array(write, { minLength: 1, maxLength: 6 }), async (writes) => {
      for (const at of [one, two]) for (const each of [shared.Box, Shelf]) await at.delete(from(each as typeof Shelf), { all: true });
      await one.insert(Shelf, [
        { id: 1, name: "a", size: 1 },
        { id: 2, name: "b" },
      ]);
      await two.insert(Shelf, [
        { id: 3, name: "c", size: 1 },
        { id: 4, name: "d" },
      ]);
      await two.insert(shared.Box, [{ shelfId: 3 }]);
      const before = await theirs();
      for (const each of writes) {
        const ours = await one.list(from(Shelf));
        const refused = await written(one, each).then(
          () => undefined,
          (error) => error.code,
        );
        if (refused !== undefined) {
          expect(["STANDING_BROKEN", "UNIQUE_VIOLATED", "PATCH_REFUSED"], `${engine.name} ${JSON.stringify(each)}`).toContain(refused);
          expect(await one.list(from(Shelf))).toEqual(ours);
        }
        expect(await theirs(), `${engine.name} ${JSON.stringify(each)}`).toEqual(before);
      }
    }),
    { numRuns: process.env.CI === "true" ? 300 : 40, includeErrorInReport: true },
  );
});
