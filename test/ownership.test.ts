import { expect } from "vitest";
import { createTables, type Database, entity, from, identity, integer, json, model, sql, text, toMany, toOne, type UnitOfWork, uuid } from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

// What belongs to whom is decided by what a row says when changes are written, whatever said it: a relation, a key, a refresh.
const { all } = useEngines(true);
const clinic = model({
  Case: entity("ow_case", { id: identity, name: text }, { notes: toMany("Note", { by: "caseId", owns: true }) }),
  Note: entity(
    "ow_note",
    { id: identity, caseId: integer, words: text, size: integer.computed },
    { case: toOne("Case", { by: "caseId" }), parts: toMany("Part", { by: "noteId", owns: true }) },
    { computes: (n) => ({ size: n.words.length() }) },
  ),
  Part: entity("ow_part", { id: identity, noteId: integer, words: text }, { note: toOne("Note", { by: "noteId" }) }),
  Ward: entity("ow_ward", { code: text.key, name: text }, { beds: toMany("Bed", { by: "wardCode" }) }),
  Bed: entity(
    "ow_bed",
    { id: uuid.key, wardCode: text.nullable, pairId: uuid.nullable, facts: json<unknown>() },
    { ward: toOne("Ward", { by: "wardCode" }), pair: toOne("Bed", { by: "pairId" }), paired: toMany("Bed", { by: "pairId" }) },
  ),
});
const { Case, Note, Part, Ward, Bed } = clinic;
const [bedA, bedB] = ["0f8fad5b-d9cb-469f-a165-70867728950e", "7c9e6679-7425-40de-944b-e07fc1f90ae7"] as const;

async function filled(db: Database): Promise<void> {
  await createTables(db, clinic);
  await db.update(from(Bed), { pairId: null, wardCode: null }, { all: true });
  await db.delete(from(Part), { all: true });
  await db.delete(from(Note), { all: true });
  await db.delete(from(Case), { all: true });
  await db.delete(from(Bed), { all: true });
  await db.delete(from(Ward), { all: true });
  await db.insert(Case, [
    { id: 1, name: "one" },
    { id: 2, name: "two" },
  ]);
  await db.insert(Note, [
    { id: 1, caseId: 1, words: "a" },
    { id: 2, caseId: 1, words: "b" },
    { id: 3, caseId: 2, words: "c" },
  ]);
  await db.insert(Part, [{ noteId: 1, words: "p" }]);
  await db.insert(Ward, [
    { code: "01", name: "first" },
    { code: "1", name: "second" },
  ]);
  await db.insert(Bed, [
    { id: bedA, wardCode: "01", facts: {} },
    { id: bedB, wardCode: null, facts: {} },
  ]);
}
const notes = (db: Pick<Database, "list">) =>
  db.list(
    from(Note)
      .orderBy((n) => n.id.asc)
      .select((n) => ({ id: n.id, of: n.caseId })),
  );

/** Ways in which a note comes from one case to another, and what becomes of the notes once the first case is removed. */
const moves: readonly (readonly [what: string, move: (w: UnitOfWork) => Promise<void>])[] = [
  [
    "by its relation",
    async (w) => {
      const [note, to] = [await w.byKey(Note, 1), await w.byKey(Case, 2)];
      note.case = to;
    },
  ],
  [
    "by its relation, the notes of both loaded",
    async (w) => {
      const [one, two] = await w.list(
        from(Case)
          .orderBy((c) => c.id.asc)
          .reach({ notes: true }),
      );
      const note = one?.notes.find(({ id }) => id === 1);
      if (note !== undefined && two !== undefined) note.case = two;
    },
  ],
  [
    "by its key",
    async (w) => {
      await w.list(from(Case).reach({ notes: true }));
      (await w.byKey(Note, 1)).caseId = 2;
    },
  ],
  [
    "by its key, and written",
    async (w) => {
      await w.list(from(Case).reach({ notes: true }));
      (await w.byKey(Note, 1)).caseId = 2;
      await w.flush();
    },
  ],
  [
    "to a new case",
    async (w) => {
      const note = await w.byKey(Note, 1);
      note.case = w.add(Case, { id: 7, name: "seven" });
    },
  ],
  [
    "there and back by another's hand, read anew",
    async (w) => {
      const note = await w.byKey(Note, 1);
      note.case = await w.byKey(Case, 2);
      await w.flush();
      await w.tx.update(from(Note).byKey(1), { words: "x" });
      await w.refresh(note);
    },
  ],
];

eachEngine(all, "a row that was moved elsewhere does not go with the owner that it had", async (db) => {
  for (const [what, move] of moves) {
    await filled(db);
    await db.work(async (w) => {
      const first = await w.byKey(Case, 1);
      await move(w);
      w.remove(first);
    });
    expect(await notes(db), what).toEqual([
      { id: 1, of: what === "to a new case" ? 7 : 2 },
      { id: 3, of: 2 },
    ]);
    expect(await db.count(from(Part)), what).toBe(1);
  }
});

eachEngine(all, "what belongs to a removed owner goes with it, whatever is known of it", async (db) => {
  const cases: readonly (readonly [what: string, work: (w: UnitOfWork) => Promise<void>])[] = [
    ["nothing is", async (w) => w.remove(await w.byKey(Case, 1))],
    [
      "a move that was taken back by a refresh",
      async (w) => {
        const [owner] = await w.list(from(Case).byKey(1).reach({ notes: true }));
        const note = await w.byKey(Note, 1);
        note.case = await w.byKey(Case, 2);
        await w.refresh(note);
        w.remove(owner as NonNullable<typeof owner>);
      },
    ],
    [
      "a child that was forgotten",
      async (w) => {
        const [owner] = await w.list(from(Case).byKey(1).reach({ notes: true }));
        w.forget(await w.byKey(Note, 1));
        w.remove(owner as NonNullable<typeof owner>);
      },
    ],
    [
      "children added by their key alone, and moved to it by their key",
      async (w) => {
        const owner = await w.byKey(Case, 1);
        w.add(Note, { caseId: 1, words: "new" });
        w.add(Note, { case: owner, words: "new", parts: [{ words: "part" }] });
        (await w.byKey(Note, 3)).caseId = 1;
        w.remove(owner);
      },
    ],
    [
      "what others wrote meanwhile",
      async (w) => {
        const owner = await w.byKey(Case, 1);
        await owner.notes;
        w.add(Note, { case: owner, words: "new" });
        await w.flush();
        w.remove(owner);
      },
    ],
  ];
  for (const [what, work] of cases) {
    await filled(db);
    await db.work(work);
    expect(await notes(db), what).toEqual(what.startsWith("children") ? [] : [{ id: 3, of: 2 }]);
    expect(await db.count(from(Case)), what).toBe(1);
    expect(await db.count(from(Part)), what).toBe(0);
  }
});

eachEngine(all, "a new owner that is removed before it is written takes what is new below it along", async (db) => {
  await filled(db);
  await db.work(async (w) => {
    w.remove(w.add(Case, { name: "gone", notes: [{ words: "gone", parts: [{ words: "gone" }] }] }));
    w.add(Note, { caseId: 9, words: "gone" });
    w.remove(w.add(Case, { id: 9, name: "gone" }));
    const kept = w.add(Case, { id: 10, name: "kept" });
    const note = w.add(Note, { case: kept, words: "kept" });
    const gone = w.add(Case, { name: "gone", notes: [{ words: "gone" }] });
    note.case = gone;
    note.case = kept;
    w.remove(gone);
  });
  expect(
    await db.list(
      from(Note)
        .where((n) => n.id.above(3))
        .select((n) => n.words),
    ),
  ).toEqual(["kept"]);
  expect(
    await db.list(
      from(Case)
        .where((c) => c.id.above(2))
        .select((c) => c.name),
    ),
  ).toEqual(["kept"]);
});

eachEngine(all, "queries after a removal see what goes with the removed row", async (db) => {
  await filled(db);
  await db.work(async (w) => {
    w.remove(await w.byKey(Case, 1));
    expect((await w.list(from(Note))).map(({ id }) => id)).toEqual([3]);
    expect(await w.count(from(Part))).toBe(0);
  });
  await filled(db);
  await db.work(async (w) => {
    w.remove(await w.byKey(Case, 1));
    expect(await w.count(from(Part))).toBe(0);
    expect(await w.exists(from(Note).where((n) => n.caseId.is(1)))).toBe(false);
    expect(await w.list(sql.rows({ id: integer })`select id from ow_note`)).toEqual([{ id: 3 }]);
  });
});

eachEngine(all, "a relation follows its key, and what is loaded elsewhere follows too", async (db) => {
  await filled(db);
  await db.work(async (w) => {
    const bed = await w.byKey(Bed, bedA);
    const [first, second] = [await w.byKey(Ward, "01"), await w.byKey(Ward, "1")];
    expect([(await first.beds).length, (await second.beds).length]).toEqual([1, 0]);
    expect(await bed.ward).toBe(first);
    bed.wardCode = "1";
    await w.flush();
    expect(await bed.ward).toBe(second);
    expect([(await first.beds).length, (await second.beds).length]).toEqual([0, 1]);
    bed.wardCode = null;
    expect(await bed.ward).toBe(null);
    bed.wardCode = "01";
    expect(await bed.ward).toBe(first);
    const other = await w.byKey(Bed, bedB);
    expect(await other.ward).toBe(null);
    other.wardCode = "1";
    await w.flush();
    expect(await other.ward).toBe(second);
    expect(await second.beds).toEqual([other]);
    // By a key in another spelling.
    expect(await other.pair).toBe(null);
    other.pairId = bedA.toUpperCase();
    expect(await other.pair).toBe(bed);
    await w.flush();
    expect(await other.pair).toBe(bed);
    expect(await bed.paired).toEqual([other]);
    const added = w.add(Bed, { id: "9b2c1b6e-31c5-4c2c-8e34-4bd0f2e9a001", wardCode: "01", facts: {} });
    await w.flush();
    expect(await first.beds).toEqual([bed, added]);
    const [note, one, two] = [await w.byKey(Note, 1), await w.byKey(Case, 1), await w.byKey(Case, 2)];
    expect(await note.case).toBe(one);
    // The last assignment counts, also after a relation to a row that has no key yet.
    note.case = w.add(Case, { name: "three" });
    note.caseId = 2;
    await w.flush();
    expect(await note.case).toBe(two);
    await w.flush();
    expect(await note.case).toBe(two);
  });
});

eachEngine(all, "a loaded list follows rows that know their owner by its key alone, whatever kind of key that is", async (db) => {
  await filled(db);
  await db.update(from(Bed), { wardCode: "01" }, { all: true });
  await db.work(async (w) => {
    const [first, second] = [await w.byKey(Ward, "01"), await w.byKey(Ward, "1")];
    const beds = await first.beds;
    expect([beds.length, (await second.beds).length]).toEqual([2, 0]);
    // Only the database says which texts are equal, so that the beds' keys do not show their ward.
    const [moved, removed] = [await w.byKey(Bed, bedA), await w.byKey(Bed, bedB)];
    moved.ward = second;
    w.remove(removed);
    expect([await first.beds, await second.beds]).toEqual([[], [moved]]);
    await w.flush();
    expect([await first.beds, await second.beds]).toEqual([[], [moved]]);
    await w.refresh(moved);
    w.remove(moved);
    expect(await second.beds).toEqual([]);
  });
  expect(await db.count(from(Bed))).toBe(0);
});

eachEngine(all, "what the database works out of a row is what it is after the row is written", async (db) => {
  await filled(db);
  await db.work(async (w) => {
    const note = await w.byKey(Note, 1);
    expect(note.size).toBe(1);
    note.words = "longer";
    await w.flush();
    expect(note.size).toBe(6);
  });
});

eachEngine(all, "a document is applied whole or not at all, and its names are data", async (db) => {
  await filled(db);
  await db.work(async (w) => {
    const bed = await w.byKey(Bed, bedA);
    await w.patch(bed, JSON.parse('{ "facts": { "__proto__": { "polluted": true }, "constructor": { "x": 1 } } }'));
    expect(JSON.stringify(bed.facts)).toBe('{"__proto__":{"polluted":true},"constructor":{"x":1}}');
    expect(({} as { polluted?: unknown }).polluted).toBeUndefined();
  });
  expect(JSON.stringify((await db.single(from(Bed).byKey(bedA))).facts)).toContain('"__proto__"');
  await db.work(async (w) => {
    const [note] = await w.list(from(Note).byKey(1).reach({ case: true, parts: true }));
    if (note === undefined) return;
    for (const document of [
      { words: "changed", parts: [{ words: "new" }], case: null },
      { words: "changed", parts: [{ words: "new" }, { words: 5 }] },
      { parts: [{ words: "new" }], case: { name: 5 } },
    ])
      await expect(w.patch(note, document)).rejects.toMatchObject({ code: "PATCH_REFUSED" });
    expect(note.words).toBe("a");
    expect((await note.parts).length).toBe(1);
    w.afterCommit(() => {});
  });
  expect(await db.count(from(Part))).toBe(1);
});

eachEngine(all, "nothing is added, removed or applied after the end of a unit of work", async (db) => {
  await filled(db);
  const ended: { w?: UnitOfWork } = {};
  const one = await db.work(async (w) => {
    ended.w = w;
    return await w.byKey(Case, 1);
  });
  const w = ended.w as UnitOfWork;
  const refused = expect.objectContaining({ code: "TRANSACTION_ENDED" });
  expect(() => w.add(Case, { name: "late" })).toThrow(refused);
  expect(() => w.remove(one)).toThrow(refused);
  expect(() => w.forget(one)).toThrow(refused);
  await expect(w.patch(one, { name: "late" })).rejects.toThrow(refused);
});
