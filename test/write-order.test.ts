import { expect } from "vitest";
import { createTables, type Database, entity, from, identity, integer, model, text, toMany, toOne, type UnitOfWork, uuid, withLedger } from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

// Rows that refer to each other, and unique values that go from one to another: written in an order that the constraints allow.
const { all } = useEngines(true);
const club = model({
  Team: entity(
    "wo_team",
    { id: integer.key, name: text.unique, captainId: integer.nullable },
    { captain: toOne("Player", { by: "captainId" }), players: toMany("Player", { by: "teamId" }) },
  ),
  Player: entity(
    "wo_player",
    { id: integer.key, teamId: integer, mentorId: integer.nullable, number: integer, spot: integer.unique.nullable },
    { team: toOne("Team", { by: "teamId" }), mentor: toOne("Player", { by: "mentorId" }) },
    { indexes: [{ on: ["teamId", "number"], unique: true }] },
  ),
  Line: entity("wo_line", { id: identity, place: integer.unique, note: text }),
  /** No other value is possible meanwhile: a rule is broken by it. */
  Strict: entity("wo_strict", { id: identity, place: integer.unique }, {}, { checks: (s) => ({ positive: s.place.above(0) }) }),
  Node: entity("wo_node", { id: uuid.key, nextId: uuid.nullable, name: text }, { next: toOne("Node", { by: "nextId" }) }),
  Ring: entity("wo_ring", { id: integer.key, nextId: integer }, { next: toOne("Ring", { by: "nextId" }) }),
});
const { Team, Player, Line, Strict, Node, Ring } = club;
const [a, b, c] = ["0f8fad5b-d9cb-469f-a165-70867728950e", "7c9e6679-7425-40de-944b-e07fc1f90ae7", "9b2c1b6e-31c5-4c2c-8e34-4bd0f2e9a001"] as const;

async function filled(db: Database): Promise<void> {
  await createTables(db, club);
  await db.update(from(Team), { captainId: null }, { all: true });
  await db.update(from(Player), { mentorId: null }, { all: true });
  await db.update(from(Node), { nextId: null }, { all: true });
  for (const one of [Player, Team, Line, Strict, Node] as const) await db.delete(from(one as typeof Line), { all: true });
  await db.insert(Team, [{ id: 1, name: "Elm", captainId: null }]);
  await db.insert(Player, [
    { id: 1, teamId: 1, number: 1, spot: 1 },
    { id: 2, teamId: 1, number: 2, spot: 2, mentorId: 1 },
  ]);
  await db.insert(
    Line,
    [1, 2, 3, 4].map((place) => ({ id: place, place, note: `n${place}` })),
  );
  await db.insert(
    Strict,
    [1, 2, 3].map((place) => ({ id: place, place })),
  );
}
const places = async (db: Database) =>
  await db.list(
    from(Line)
      .orderBy((l) => l.id.asc)
      .select((l) => l.place),
  );
const stricts = async (db: Database) =>
  await db.list(
    from(Strict)
      .orderBy((l) => l.id.asc)
      .select((l) => l.place),
  );
const place = async (w: UnitOfWork, id: number, to: number): Promise<void> => {
  (await w.byKey(Line, id)).place = to;
};

eachEngine(all, "new rows that bring their keys may refer to each other", async (db) => {
  await filled(db);
  await db.work(async (w) => {
    w.add(Team, { id: 5, name: "Oak", captainId: 7 });
    w.add(Player, { id: 8, teamId: 5, mentorId: 7, number: 2 });
    w.add(Player, { id: 7, teamId: 5, mentorId: 9, number: 1 });
    w.add(Player, { id: 9, teamId: 5, mentorId: 8, number: 3 });
    for (const [id, nextId] of [
      [a, b],
      [b, c.toUpperCase()],
      [c, a],
    ] as const)
      w.add(Node, { id, nextId, name: id });
    w.add(Node, { id: "1b2c1b6e-31c5-4c2c-8e34-4bd0f2e9a001", nextId: "1b2c1b6e-31c5-4c2c-8e34-4bd0f2e9a001", name: "itself" });
  });
  expect(await db.list(from(Team).byKey(5).reach({ captain: true }))).toMatchObject([{ captain: { id: 7 } }]);
  expect(
    await db.list(
      from(Player)
        .where((p) => p.teamId.is(5))
        .orderBy((p) => p.id.asc)
        .select((p) => p.mentorId),
    ),
  ).toEqual([9, 7, 8]);
  expect((await db.list(from(Node).reach({ next: true }))).map(({ id, next }) => [id, next?.id])).toEqual(
    expect.arrayContaining([
      [a, b],
      [b, c],
      [c, a],
    ]),
  );
  const ring = async (w: UnitOfWork) => {
    w.add(Line, { place: 99, note: "x" });
    w.add(Ring, { id: 1, nextId: 2 });
    w.add(Ring, { id: 2, nextId: 1 });
  };
  // Nothing is sent before it is refused.
  const { result, statements } = await withLedger(db, "ring", () => db.work(ring).catch(({ code }) => code));
  expect([result, statements.filter(({ text }) => text.startsWith("insert"))]).toEqual(["ROWS_CIRCULAR", []]);
  await db.work(async (w) => w.add(Ring, { id: 3, nextId: 3 }));
  expect(await db.count(from(Line))).toBe(4);
});

eachEngine(all, "rows that refer to each other may be removed together", async (db) => {
  await filled(db);
  await db.work(async (w) => {
    (await w.byKey(Team, 1)).captain = await w.byKey(Player, 2);
    (await w.byKey(Player, 1)).mentor = await w.byKey(Player, 2);
    for (const [id, nextId] of [
      [a, b],
      [b, a],
    ] as const)
      w.add(Node, { id, nextId, name: id });
  });
  await db.work(async (w) => {
    w.remove(await w.byKey(Team, 1));
    for (const player of await w.list(from(Player))) w.remove(player);
    for (const node of await w.list(from(Node))) w.remove(node);
  });
  expect(await db.count(from(Team))).toBe(0);
  expect(await db.count(from(Player))).toBe(0);
  expect(await db.count(from(Node))).toBe(0);
});

const moves: readonly (readonly [string, (w: UnitOfWork) => Promise<unknown>, readonly number[]])[] = [
  ["swapped", async (w) => [await place(w, 1, 2), await place(w, 2, 1)], [2, 1, 3, 4]],
  ["shifted up", async (w) => [await place(w, 1, 2), await place(w, 2, 3), await place(w, 3, 4), await place(w, 4, 5)], [2, 3, 4, 5]],
  ["in a circle", async (w) => [await place(w, 1, 3), await place(w, 3, 2), await place(w, 2, 1)], [3, 1, 2, 4]],
  ["taken over by a new row", async (w) => [await place(w, 1, 9), w.add(Line, { id: 5, place: 1, note: "new" })], [9, 2, 3, 4, 1]],
  ["of a removed row", async (w) => [w.remove(await w.byKey(Line, 1)), w.add(Line, { id: 5, place: 1, note: "new" }), await place(w, 2, 7)], [7, 3, 4, 1]],
];

eachEngine(all, "unique values may be swapped, shifted and taken over", async (db) => {
  for (const [what, move, expected] of moves) {
    await filled(db);
    await db.work(move);
    expect(await places(db), what).toEqual(expected);
  }
  await filled(db);
  await db.work(async (w) => {
    const [one, two] = [await w.byKey(Player, 1), await w.byKey(Player, 2)];
    [one.number, two.number] = [two.number, one.number];
    [one.spot, two.spot] = [two.spot, one.spot];
    (await w.byKey(Team, 1)).name = "Fir";
    w.add(Team, { id: 2, name: "Elm" });
  });
  expect(
    await db.list(
      from(Player)
        .orderBy((p) => p.id.asc)
        .select((p) => ({ number: p.number, spot: p.spot })),
    ),
  ).toEqual([
    { number: 2, spot: 2 },
    { number: 1, spot: 1 },
  ]);
  expect(
    await db.list(
      from(Team)
        .orderBy((t) => t.id.asc)
        .select((t) => t.name),
    ),
  ).toEqual(["Fir", "Elm"]);
});

eachEngine(all, "where no other value is possible they are written in an order that does, or refused before anything is sent", async (db) => {
  await filled(db);
  const strict = async (w: UnitOfWork, id: number, to: number) => {
    (await w.byKey(Strict, id)).place = to;
  };
  await db.work(async (w) => {
    await strict(w, 1, 2);
    await strict(w, 2, 3);
    await strict(w, 3, 4);
    w.add(Strict, { id: 4, place: 1 });
  });
  expect(await stricts(db)).toEqual([2, 3, 4, 1]);
  await expect(
    db.work(async (w) => {
      w.add(Line, { place: 99, note: "x" });
      await strict(w, 1, 3);
      await strict(w, 2, 2);
    }),
  ).rejects.toMatchObject({ code: "VALUES_TANGLED", names: { entity: "Strict", columns: ["place"] } });
  expect(await places(db)).toEqual([1, 2, 3, 4]);
});
