import { expect } from "vitest";
import {
  coalesce,
  createTables,
  type Database,
  entity,
  from,
  identity,
  integer,
  type LiveEntity,
  literal,
  model,
  preview,
  text,
  timestamp,
  toMany,
  toOne,
  type UnitOfWork,
} from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

// Rows that are only marked as removed: what goes with them, what is written, and how they come back.
const { all } = useEngines(true);
let clock = 0;
const now = () => new Date(1_700_000_000_000 + ++clock);
const house = model({
  Show: entity(
    "sd_show",
    { id: identity, title: text, removed: timestamp.nullable, changed: timestamp.onWrite(now), turn: integer.version },
    { dates: toMany("Day", { by: "showId", owns: true }), pages: toMany("Page", { by: "showId", owns: true }) },
    { standing: { present: { column: "removed", is: null, removed: now } } },
  ),
  /** Can be marked too. */
  Day: entity(
    "sd_day",
    { id: identity, showId: integer, at: text, gone: timestamp.nullable },
    { show: toOne("Show", { by: "showId" }), seats: toMany("Seat", { by: "dayId", owns: true }) },
    { standing: { present: { column: "gone", is: null, removed: now } } },
  ),
  /** Cannot. */
  Page: entity("sd_page", { id: identity, showId: integer, words: text }, { show: toOne("Show", { by: "showId" }) }),
  Seat: entity("sd_seat", { id: identity, dayId: integer, name: text }, { day: toOne("Day", { by: "dayId" }) }),
});
const { Show, Day, Page, Seat } = house;
const everyShow = from(Show).lift("present");

async function filled(db: Database): Promise<void> {
  await createTables(db, house);
  for (const one of [Seat, Page] as const) await db.delete(from(one as typeof Page), { all: true });
  await db.deleteForGood(from(Day).lift("present"), { all: true });
  await db.deleteForGood(everyShow, { all: true });
  await db.insert(Show, [
    { id: 1, title: "one" },
    { id: 2, title: "two" },
  ]);
  await db.insert(Day, [
    { id: 1, showId: 1, at: "monday" },
    { id: 2, showId: 1, at: "tuesday" },
    { id: 3, showId: 2, at: "friday" },
  ]);
  await db.insert(Page, [{ id: 1, showId: 1, words: "a" }]);
  await db.insert(Seat, [{ id: 1, dayId: 1, name: "s" }]);
}
const counts = async (db: Database) => [
  await db.count(from(Show)),
  await db.count(from(Day)),
  await db.count(from(Page)),
  await db.count(from(Seat)),
  await db.count(everyShow),
  await db.count(from(Day).lift("present")),
];

eachEngine(all, "what belongs to a marked row is marked too where it can be, and stays else; restoring brings it back", async (db) => {
  await filled(db);
  await db.work(async (w) => {
    w.remove(await w.byKey(Day, 2));
  });
  await db.work(async (w) => {
    const show = await w.byKey(Show, 1);
    show.title = "closed";
    w.remove(show);
    expect(await w.count(from(Day))).toBe(1);
    expect(await w.count(from(Page))).toBe(1);
  });
  // The show and its other day are marked; pages and seats, which cannot be, stay.
  expect(await counts(db)).toEqual([1, 1, 1, 1, 2, 3]);
  const [row] = await db.list(everyShow.byKey(1));
  expect(row).toMatchObject({ title: "closed", turn: 2 });
  expect(row?.removed).toBeInstanceOf(Date);
  await db.work(async (w) => {
    const [show] = await w.list(everyShow.byKey(1));
    await w.restore(show as NonNullable<typeof show>);
  });
  // The day that was removed by itself before stays removed.
  expect(await counts(db)).toEqual([2, 2, 1, 1, 2, 3]);
  expect(await db.list(from(Show).byKey(1).reach({ dates: true, pages: true }))).toMatchObject([
    { title: "closed", turn: 3, dates: [{ at: "monday" }], pages: [{ words: "a" }] },
  ]);
});

eachEngine(all, "a removal that is not written yet is taken back whole", async (db) => {
  await filled(db);
  const undone: readonly ((w: UnitOfWork) => Promise<void>)[] = [
    async (w) => {
      const show = await w.byKey(Show, 1);
      w.remove(show);
      await w.restore(show);
      expect((await show.dates).length).toBe(2);
    },
    async (w) => {
      const page = await w.byKey(Page, 1);
      w.remove(page);
      await w.restore(page);
    },
    async (w) => {
      const show = await w.byKey(Show, 1);
      w.remove(show);
      await w.flush();
      await w.restore(show);
      await w.flush();
      expect((await show.dates).length).toBe(2);
    },
  ];
  for (const work of undone) {
    await db.work(work);
    expect(await counts(db)).toEqual([2, 3, 1, 1, 2, 3]);
  }
  await expect(
    db.work(async (w) => {
      const page = await w.byKey(Page, 1);
      w.remove(page);
      await w.flush();
      await w.restore(page);
    }),
  ).rejects.toMatchObject({ code: "LIVE_EXPECTED" });
  expect(await db.count(from(Page))).toBe(1);
});

eachEngine(all, "a row that was moved to a new row is marked once that one is there", async (db) => {
  await filled(db);
  for (const isByKey of [false, true])
    await db.work(async (w) => {
      const day = await w.byKey(Day, isByKey ? 2 : 3);
      const show = w.add(Show, { id: isByKey ? 8 : 7, title: "new" });
      if (isByKey) day.showId = 8;
      else day.show = show;
      w.remove(day);
    });
  const days = from(Day)
    .lift("present")
    .where((d) => d.gone.isNot(null))
    .orderBy((d) => d.id.asc);
  expect((await db.list(days)).map(({ id, showId }) => [id, showId])).toEqual([
    [2, 8],
    [3, 7],
  ]);
});

eachEngine(all, "whoever read a row before it was marked has a conflict", async (db) => {
  await filled(db);
  await expect(
    db.work(async (w) => {
      const show = await w.byKey(Show, 1);
      await w.tx.delete(from(Show).byKey(1));
      show.title = "late";
    }),
  ).rejects.toMatchObject({ code: "CONFLICT" });
  await expect(
    db.work(async (w) => {
      const show = await w.byKey(Show, 1);
      await w.tx.update(from(Show).byKey(1), { title: "changed" });
      w.remove(show);
    }),
  ).rejects.toMatchObject({ code: "CONFLICT" });
  expect(await counts(db)).toEqual([2, 3, 1, 1, 2, 3]);
});

eachEngine(all, "of two works at once that both read a row, one wins and the other is refused", async (db, { name }) => {
  // Elsewhere there is one connection: the second work begins once the first has ended.
  if (name !== "postgres" && name !== "mariadb") return;
  type Titled = LiveEntity<"Show"> & { title: string };
  const ends = {
    edit: (_: UnitOfWork, show: Titled) => {
      show.title += "!";
    },
    mark: (w: UnitOfWork, show: Titled) => w.remove(show),
    removeForGood: (w: UnitOfWork, show: Titled) => w.removeForGood(show),
  };
  for (const [first, one] of Object.entries(ends))
    for (const [second, other] of Object.entries(ends)) {
      await filled(db);
      let readers = 0;
      let bothHaveRead = () => {};
      const ready = new Promise<void>((resolve) => {
        bothHaveRead = resolve;
      });
      const works = [one, other].map((end) =>
        db.work(async (w) => {
          const show = await w.byKey(Show, 2);
          if (++readers === 2) bothHaveRead();
          await ready;
          end(w, show);
        }),
      );
      const outcomes = await Promise.allSettled(works);
      const lost = outcomes.filter((outcome) => outcome.status === "rejected");
      expect(lost, `${first}, ${second}`).toHaveLength(1);
      // A mark is written before what belongs to the row, a removal for good after it: the database may refuse one of the two itself.
      expect(["CONFLICT", "DEADLOCK"]).toContain(lost[0]?.reason.code);
    }
});

eachEngine(all, "by set, rows are marked, restored, and deleted for good", async (db, engine) => {
  await filled(db);
  expect(await db.delete(from(Show).where((s) => s.title.is("one")))).toBe(1);
  expect(await db.list(everyShow.orderBy((s) => s.id.asc).select((s) => s.turn))).toEqual([2, 1]);
  expect(await counts(db)).toEqual([1, 3, 1, 1, 2, 3]);
  // Nothing is visible of it, so that nothing is deleted twice.
  expect(await db.delete(from(Show).byKey(1))).toBe(0);
  expect(await db.restore(from(Show).byKey(1))).toBe(1);
  expect(await db.restore(from(Show), { all: true })).toBe(0);
  expect(await counts(db)).toEqual([2, 3, 1, 1, 2, 3]);
  await expect(db.restore(from(Page), { all: true })).rejects.toMatchObject({ code: "MARK_MISSING" });
  await expect(db.deleteForGood(from(Show))).rejects.toMatchObject({ code: "NOT_NARROWED" });
  await db.deleteForGood(from(Seat), { all: true });
  expect(await db.deleteForGood(from(Day).byKey(3))).toBe(1);
  expect(await db.deleteForGood(from(Show).byKey(2))).toBe(1);
  expect(await counts(db)).toEqual([1, 2, 1, 0, 1, 2]);
  expect(preview.delete(from(Show).byKey(1), { dialect: db.dialect })[0]?.text).toMatch(/^update sd_show set removed/);
  expect(preview.deleteForGood(from(Show).byKey(1), { dialect: db.dialect })[0]?.text).toMatch(/^delete from sd_show/);
  if (engine.name !== "mariadb") expect(await db.delete(from(Show).byKey(1), { returning: true })).toMatchObject([{ id: 1, turn: 4 }]);
});

eachEngine(all, "a removal for good deletes the rows and all that belongs to them", async (db) => {
  await filled(db);
  await db.work(async (w) => w.removeForGood(await w.byKey(Show, 1)));
  expect(await counts(db)).toEqual([1, 1, 0, 0, 1, 1]);
});

eachEngine(all, "columns of each write keep themselves, by every way of writing, and versions go up", async (db) => {
  await filled(db);
  const read = async () => (await db.single(everyShow.byKey(1))) as { turn: number; changed: Date };
  let before = await read();
  const ways: readonly (readonly [string, () => Promise<unknown>])[] = [
    ["update", () => db.update(from(Show).byKey(1), { title: "a" })],
    ["update by a function", () => db.update(from(Show).byKey(1), (s) => ({ title: s.title.concat("!") }))],
    [
      "update by what other rows tell",
      () =>
        db.update(from(Show).byKey(1), (s) => ({
          title: coalesce(
            s.dates.max((d) => d.at),
            "none",
          ),
        })),
    ],
    ["updateRows", () => db.updateRows(Show, [{ id: 1, title: "b" }])],
    [
      "updateRows of several",
      () =>
        db.updateRows(Show, [
          { id: 1, title: "c" },
          { id: 2, title: "c" },
        ]),
    ],
    [
      "updateRows of several, each its own",
      () =>
        db.updateRows(Show, [
          { id: 1, title: "d" },
          { id: 2, title: "e" },
        ]),
    ],
    ["updateRows with the version", () => db.updateRows(Show, [{ id: 1, title: "f", turn: before.turn }])],
    ["upsert", () => db.upsert(Show, [{ id: 1, title: "g" }])],
    ["upsert by a function", () => db.upsert(Show, [{ id: 1, title: "h" }], { set: (old, given) => ({ title: old.title.concat(given.title) }) })],
    [
      "unit of work",
      () =>
        db.work(async (w) => {
          (await w.byKey(Show, 1)).title = "i";
        }),
    ],
    ["patch", () => db.work(async (w) => await w.patch(await w.byKey(Show, 1), { title: "j" }))],
    ["delete", () => db.delete(from(Show).byKey(1))],
    ["restore", () => db.restore(from(Show).byKey(1))],
  ];
  for (const [way, write] of ways) {
    await write();
    const after = await read();
    expect(after.turn, way).toBe(before.turn + 1);
    expect(after.changed.getTime(), way).toBeGreaterThan(before.changed.getTime());
    before = after;
  }
  await expect(db.updateRows(Show, [{ id: 1, title: "late", turn: before.turn - 1 }])).rejects.toMatchObject({ code: "CONFLICT" });
  await expect(
    db.updateRows(Show, [
      { id: 2, title: "x" },
      { id: 1, title: "late", turn: 1 },
    ]),
  ).rejects.toMatchObject({ code: "CONFLICT" });
  expect((await db.single(from(Show).byKey(2))).title).not.toBe("x");
  await db.insertFrom(
    Show,
    from(Page).select((p) => ({ title: p.words, id: literal(integer, 77) })),
  );
  expect(await db.single(from(Show).byKey(77))).toMatchObject({ title: "a", turn: 1, changed: expect.any(Date) });
});

const dated = model({ Paper: entity("sd_paper", { id: identity, words: text, at: timestamp.version }) });

eachEngine(all, "a version that is an instant goes up within one millisecond too", async (db) => {
  await createTables(db, dated);
  const { Paper } = dated;
  await db.insert(Paper, [{ id: 1, words: "a" }]);
  const at = async () => (await db.single(from(Paper).byKey(1))).at.getTime();
  for (const write of [
    () => db.update(from(Paper).byKey(1), { words: "b" }),
    () => db.updateRows(Paper, [{ id: 1, words: "c" }]),
    () => db.upsert(Paper, [{ id: 1, words: "d" }]),
  ]) {
    let before = await at();
    for (let times = 0; times < 5; times++) {
      await write();
      const after = await at();
      expect(after).toBeGreaterThan(before);
      before = after;
    }
  }
  const { at: read } = await db.single(from(Paper).byKey(1));
  expect(await db.updateRows(Paper, [{ id: 1, words: "e", at: read }])).toBe(1);
  await expect(db.updateRows(Paper, [{ id: 1, words: "f", at: read }])).rejects.toMatchObject({ code: "CONFLICT" });
});

const guarded = model({
  Order: entity("sd_order", { id: identity, note: text, turn: integer.version }, { lines: toMany("Line", { by: "orderId", owns: true, guards: true }) }),
  Line: entity("sd_line", { id: identity, orderId: integer, count: integer }, { order: toOne("Order", { by: "orderId" }) }),
});

eachEngine(all, "an owner's version guards what belongs to it", async (db) => {
  await createTables(db, guarded);
  const { Order, Line } = guarded;
  await db.insert(Order, [
    { id: 1, note: "a" },
    { id: 2, note: "b" },
  ]);
  await db.insert(Line, [
    { id: 1, orderId: 1, count: 1 },
    { id: 2, orderId: 1, count: 1 },
  ]);
  const turns = async () =>
    await db.list(
      from(Order)
        .orderBy((o) => o.id.asc)
        .select((o) => o.turn),
    );
  const works: readonly (readonly [string, (w: UnitOfWork) => Promise<unknown>, readonly number[]])[] = [
    ["a change", async (w) => w.patch(await w.byKey(Line, 1), { count: 5 }), [2, 1]],
    ["a new row", async (w) => w.add(Line, { orderId: 1, count: 1 }), [3, 1]],
    ["a removal", async (w) => w.remove(await w.byKey(Line, 2)), [4, 1]],
    [
      "a move",
      async (w) => {
        const [line, order] = [await w.byKey(Line, 1), await w.byKey(Order, 2)];
        line.order = order;
      },
      [5, 2],
    ],
    ["nothing", async (w) => await w.list(from(Line)), [5, 2]],
    ["both at once", async (w) => w.patch(await w.byKey(Order, 2), { note: "c", lines: [{ id: 1, count: 7 }] }), [5, 3]],
  ];
  for (const [what, work, expected] of works) {
    await db.work(work);
    expect(await turns(), what).toEqual(expected);
  }
  // Two who change the same document: the second loses.
  await expect(
    db.work(async (w) => {
      const order = await w.byKey(Order, 2);
      await w.tx.updateRows(Order, [{ id: 2, note: "by another" }]);
      await w.patch(order, { lines: [{ id: 1, count: 9 }] });
    }),
  ).rejects.toMatchObject({ code: "CONFLICT" });
  expect(() =>
    model({
      A: entity("a", { id: identity }, { bs: toMany("B", { by: "aId", owns: true, guards: true }) }),
      B: entity("b", { id: identity, aId: integer }),
    }),
  ).toThrow("guards is for relations with owns");
});

const stock = model({
  Item: entity(
    "sd_item",
    { id: identity, gone: timestamp.nullable },
    { marks: toMany("Mark", { by: "itemId", owns: true }) },
    { standing: { present: { column: "gone", is: null, removed: now } } },
  ),
  Label: entity("sd_label", { code: text.key }, { marks: toMany("Mark", { by: "code" }) }),
  Mark: entity(
    "sd_mark",
    { itemId: integer.key, code: text.key },
    { item: toOne("Item", { by: "itemId" }), label: toOne("Label", { by: "code" }) },
    { standing: { present: { through: "item" } } },
  ),
});

eachEngine(all, "loaded lists follow what is hidden with a marked row, and what comes back with it", async (db) => {
  await createTables(db, stock);
  await db.work(async (w) => {
    const item = w.add(stock.Item, { id: 1 });
    const label = w.add(stock.Label, { code: "a" });
    const mark = w.add(stock.Mark, { item, label });
    await w.flush();
    expect(await label.marks).toEqual([mark]);
    w.remove(item);
    await w.flush();
    expect(await label.marks).toEqual([]);
    await w.restore(item);
    await w.flush();
    expect(await label.marks).toEqual([mark]);
  });
  expect(await db.count(from(stock.Mark))).toBe(1);
});
