import { inspect } from "node:util";
import { expect, expectTypeOf } from "vitest";
import { generate, lending } from "../src/demo/index.js";
import {
  type AnyDatabase,
  createTables,
  type Database,
  date,
  entity,
  from,
  identity,
  integer,
  isHere,
  type Lazy,
  model,
  OutsideReachError,
  text,
  timestamp,
  toMany,
  toOne,
  value,
  withLedger,
} from "../src/index.js";
import { eachEngine, useEngines, useSociety } from "./support/engines.js";

const { Item, Loan, Member, Depot } = lending;
const all = useSociety(generate(3, 7, { items: 20, members: 30, loans: 60 }));

/** What some work sends, without what begins and ends a transaction. */
const counted = async (db: Database, work: () => Promise<unknown>): Promise<number> => (await withLedger(db, "work", work)).statements.length;

eachEngine(all, "lazy relations cost a statement a relation, not one a row", async (db) => {
  const loans = from(Loan).orderBy((l) => l.id.asc);
  const loop = (cohort?: number) =>
    counted(db, () =>
      db.work(
        async (w) => {
          for (const loan of await w.list(loans.limit(40))) expect((await loan.borrower).name).toMatch(/./);
        },
        cohort === undefined ? {} : { cohort },
      ),
    );
  expect(await loop()).toBe(2);
  expect(await loop(1)).toBeGreaterThan(10);
  const three = await counted(db, () =>
    db.work(async (w) => {
      for (const loan of await w.list(loans)) await Promise.all([loan.item, loan.borrower, loan.depot]);
    }),
  );
  expect(three).toBe(4);
  const member = await counted(db, () =>
    db.work(async (w) => {
      const [one, same] = await Promise.all([w.byKey(Member, 5), w.byKey(Member, 5), w.byKey(Member, 6)]);
      expect(one).toBe(same);
      expect(await w.byKey(Member, 5)).toBe(one);
      expect((await w.list(from(Loan).where((l) => l.memberId.is(5)))).map((l) => l.borrower)).toSatisfy((found: unknown[]) =>
        found.every((each) => each === one),
      );
      await expect(w.byKey(Member, 12345678)).rejects.toMatchObject({ code: "NONE_FOUND" });
    }),
  );
  expect(member).toBe(3);
  await db.work(async (w) => {
    const items = await w.list(from(Item).limit(5));
    const sent = await counted(db, async () => {
      await Promise.all(items.map((item) => item.loans));
      for (const item of items) for (const loan of await item.loans) expect(await loan.item).toBe(item);
    });
    expect(sent).toBe(1);
    const reached = await w.reach(items, Item, { depot: { items: true } });
    expect(reached[0]?.depot.items).toContain(items[0]);
    expect(reached).toEqual(items);
  });
});

eachEngine(all, "heavy columns, and columns that a query leaves out, are read lazily, by cohort", async (db) => {
  await db.work(async (w) => {
    const items = await w.list(from(Item).columns("name").limit(8));
    const sent = await counted(db, async () => {
      for (const item of items) {
        expectTypeOf(item.note).toEqualTypeOf<string | null | Lazy<string | null>>();
        await item.note;
      }
    });
    expect(sent).toBe(1);
  });
});

eachEngine(all, "what is not there is loaded, refused or blank, by the narrowest rule", async (db) => {
  const loans = from(Loan).limit(3);
  await db.work(async (w) => {
    const [loan] = await w.list(loans.outside("refuse").outside("load", "item"));
    if (loan === undefined) throw new Error("no loan");
    expect(() => loan.borrower).toThrow(OutsideReachError);
    expect(() => loan.borrower).toThrow(/Loan\.borrower was read.*\n.*reach\(\{ borrower: true \}\)/);
    const item = await loan.item;
    // What is below a row has its row's rule.
    expect(() => item.depot).toThrow(OutsideReachError);
  });
  await db.work(
    async (w) => {
      const [depot] = await w.list(
        from(Depot)
          .reach({ items: (i) => i.outside("load") })
          .limit(1),
      );
      expect(await depot?.district).toBeNull();
      expect(await depot?.items[0]?.loans).not.toEqual([]);
    },
    { outside: "blank" },
  );
  const strict = db.work(async (w) => w.list(loans), { outside: "refuse" });
  const [after] = await strict;
  expect(() => after?.item).toThrow(/the unit of work has ended/);
  expect(after?.due).toMatch(/^\d/);
});

eachEngine(all, "print, copies and comparisons show what is there, and load nothing", async (db) => {
  await db.work(async (w) => {
    const [loan] = await w.list(
      from(Loan)
        .orderBy((l) => l.id.asc)
        .reach({ item: true })
        .limit(1),
    );
    if (loan === undefined) throw new Error("no loan");
    await loan.item.loans;
    const { id, itemId, memberId, due, returned } = loan;
    const shown = { id, itemId, memberId, due, returned };
    const sent = await counted(db, async () => {
      expect(JSON.parse(JSON.stringify(loan))).toMatchObject({ ...shown, item: { id: itemId } });
      expect(JSON.parse(JSON.stringify(loan)).item.loans.find((one: { id: number }) => one.id === id)).toEqual({ id });
      expect(inspect(loan, { depth: null })).toContain(`memberId: ${memberId}`);
      expect(structuredClone({ ...loan })).toMatchObject(shown);
      expect(Object.keys(loan)).toEqual(["id", "itemId", "memberId", "due", "returned", "item"]);
    });
    expect(sent).toBe(0);
  });
});

const { all: empty } = useEngines(true);
class Note {
  declare body: string;
  get size(): number {
    return this.body.length;
  }
}
const desk = model({
  Box: entity(
    "work_box",
    { id: identity, label: text, at: value({ street: text, town: text.nullable }), seen: timestamp.nullable, turn: integer.version },
    { notes: toMany("Note", { by: "boxId", order: { id: "desc" } }) },
  ),
  Note: entity("work_note", { id: identity, boxId: integer.nullable, body: text, day: date.nullable }, { box: toOne("Box", { by: "boxId" }) }, { as: Note }),
});
const { Box } = desk;

const boxes = (db: AnyDatabase) => db.list(from(Box).reach({ notes: true }));
const prepare = async (db: Database) => {
  await createTables(db, desk);
  await db.delete(from(desk.Note), { all: true });
  await db.delete(from(Box), { all: true });
};

eachEngine(empty, "a change writes one statement of the changed columns; nothing changed, nothing sent", async (db) => {
  await prepare(db);
  const at = { street: "Elm", town: null };
  await db.work(async (w) => {
    for (const label of ["a", "b", "c"]) w.add(Box, { label, at, notes: [{ body: `of ${label}` }] });
  });
  const sent = await withLedger(db, "changes", () =>
    db.work(async (w) => {
      const [a, b, c] = await w.list(from(Box));
      if (!a || !b || !c) throw new Error("no boxes");
      a.label = "A";
      b.label = "B";
      c.at.town = "Ashford";
      c.seen = new Date(1000);
      expect(isHere(a, "notes")).toBe(false);
      const [note] = await a.notes;
      expect(note).toBeInstanceOf(Note);
      expect(note?.size).toBe(4);
      if (note !== undefined) note.box = b;
      expect([await a.notes, (await b.notes).length, note?.boxId]).toEqual([[], 2, b.id]);
      a.label = "a";
    }),
  );
  const [first] = await boxes(db);
  expect(first).toMatchObject({ label: "a", turn: 1, notes: [] });
  const writes = sent.statements.filter(({ text: sql }) => sql.startsWith("update"));
  expect(
    writes
      .map(({ text: sql }) =>
        sql
          .replace(/ where .*/, "")
          .replaceAll(/["`]/g, "")
          .replace(/[$?]\d*/g, "?"),
      )
      .toSorted(),
  ).toEqual(["update work_box set atTown = ?, seen = ?, turn = ?", "update work_box set label = ?, turn = ?", "update work_note set boxId = ?"]);
  const none = await counted(db, () => db.work(async (w) => void (await w.list(from(Box).reach({ notes: true })))));
  expect(none).toBe(2);
});

eachEngine(empty, "a row that another one changed is a conflict, and nothing is written", async (db) => {
  await prepare(db);
  await db.insert(Box, [{ label: "one", at: { street: "x", town: null } }]);
  const working = db.work(async (w) => {
    const box = await w.single(from(Box));
    w.add(Box, { label: "two", at: box.at });
    await w.flush();
    // Past the unit of work, as another program would.
    await w.tx.update(
      from(Box).where((b) => b.label.is("one")),
      { label: "theirs", turn: 7 },
    );
    box.label = "mine";
  });
  await expect(working).rejects.toMatchObject({ code: "CONFLICT", names: { entity: "Box", versions: "it was read at turn 1" } });
  expect((await boxes(db)).map(({ label, turn }) => [label, turn])).toEqual([["one", 1]]);
});

eachEngine(empty, "graphs are added whole, removed rows go, and refresh and forget do as they say", async (db) => {
  await prepare(db);
  const at = { street: "Elm", town: "X" };
  const made = await db.work(async (w) => {
    const box = w.add(Box, { label: "new", at, notes: [{ body: "1" }, { body: "2", day: "2026-01-01" }] });
    expect(() => box.id).toThrow(/await w\.flush/);
    const [one, two] = await box.notes;
    expect(() => one?.boxId).toThrow(/await w\.flush/);
    await w.flush();
    expect([typeof box.id, one?.boxId, two?.day]).toEqual(["number", box.id, "2026-01-01"]);
    if (one !== undefined) w.remove(one);
    expect(await box.notes).toEqual([two]);
    return box.id;
  });
  expect(await boxes(db)).toMatchObject([{ id: made, notes: [{ body: "2" }] }]);
  await db.work(async (w) => {
    const box = await w.byKey(Box, made);
    box.label = "lost";
    await w.refresh(box);
    expect(box.label).toBe("new");
    box.label = "forgotten";
    w.forget(box);
    expect(await w.byKey(Box, made)).not.toBe(box);
    expect(() => box.notes).toThrow(OutsideReachError);
  });
  expect(await boxes(db)).toMatchObject([{ label: "new" }]);
  const undone = db.work(async (w) => {
    w.add(Box, { label: "never", at });
    await w.flush();
    throw new Error("no");
  });
  await expect(undone).rejects.toThrow("no");
  const unfit = db.work(async (w) => {
    const [box] = await w.list(from(Box));
    if (box !== undefined) box.label = undefined as never;
    await w.flush().catch(() => {});
  });
  await expect(unfit).rejects.toMatchObject({ code: "WORK_FAILED" });
  expect(await boxes(db)).toMatchObject([{ label: "new" }]);
});
