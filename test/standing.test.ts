import { expect, expectTypeOf } from "vitest";
import {
  along,
  createTables,
  type Database,
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
      await at.delete(from(of as typeof Room).lift("present"), { all: true }).catch(() => at.delete(from(Mark), { all: true }));
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
