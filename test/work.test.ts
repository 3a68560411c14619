import { inspect } from "node:util";
import { expect, expectTypeOf, test } from "vitest";
import {
  type AnyDatabase,
  along,
  createTables,
  type Database,
  date,
  entity,
  from,
  identity,
  integer,
  isHere,
  type Lazy,
  type Live,
  model,
  OutsideReachError,
  text,
  timestamp,
  toMany,
  toOne,
  type UnitOfWork,
  value,
  varchar,
  withLedger,
} from "../src/index.js";
import { entitiesOf } from "../src/model/index.js";
import { generate, lending } from "../tools/src/demo/index.js";
import type { Lending } from "../tools/src/demo/lending.js";
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

eachEngine(all, "an entity that came in part is whole wherever its type has all of it, by one statement for those that came together", async (db) => {
  // Each way by which an entity comes that an earlier query has brought with its key alone; what is read is no promise.
  const ways: Readonly<Record<string, (w: UnitOfWork) => Promise<readonly { readonly name: string }[]>>> = {
    byKey: async (w) => [await w.byKey(Item, 1), await w.byKey(Item, 2)],
    "a lazy relation": async (w) => {
      const loans = await w.list(from(Loan).where((l) => l.itemId.below(4)));
      const items: Live<Lending, "Item">[] = [];
      for (const loan of loans) items.push(await loan.item);
      return items;
    },
    reach: async (w) => (await w.reach(await w.list(from(Item).columns("id").limit(3)), Item, { depot: true })) as never,
    list: (w) => w.list(from(Item).limit(3)),
    "a relation that was loaded in part": async (w) => {
      await w.list(
        from(Loan)
          .where((l) => l.itemId.below(4))
          .reach({ item: (i) => i.columns("id") }),
      );
      const loans = await w.list(from(Loan).where((l) => l.itemId.below(4)));
      return await Promise.all(loans.map(async (loan) => await loan.item));
    },
    "the rows of a page": async (w) => {
      await w.list(from(Depot).reach({ items: (i) => i.columns("id") }));
      const { rows } = await w.page(from(Depot), { size: 2 });
      return (await Promise.all(rows.map(async (depot) => [...(await depot.items)]))).flat();
    },
  };
  for (const [way, items] of Object.entries(ways)) {
    let before = 0;
    const ledger = await withLedger(db, way, () =>
      db.work(async (w) => {
        await w.list(from(Item).columns("id"));
        before = 1;
        for (const { name } of await items(w)) expect(typeof name, way).toBe("string");
      }),
    );
    expect(ledger.statements.length, way).toBeLessThanOrEqual(before + 5);
  }
  // One that is gone meanwhile is no whole one.
  await db
    .work(async (w) => {
      const [part] = await w.list(from(Loan).columns("id").limit(1));
      await w.tx.delete(from(Loan).byKey(part?.id ?? 0));
      await expect(w.byKey(Loan, part?.id ?? 0)).rejects.toMatchObject({ code: "NONE_FOUND" });
      throw new Error("undone");
    })
    .catch((error) => expect(error.message).toBe("undone"));
  // What was changed of it stays.
  await db
    .work(async (w) => {
      const [part] = await w.list(from(Item).columns("id").limit(1));
      if (part === undefined) return;
      part.name = "mine";
      const whole = await w.byKey(Item, part.id);
      expect([whole === part, whole.name, whole.depotId > 0]).toEqual([true, "mine", true]);
      throw new Error("undone");
    })
    .catch((error) => expect(error.message).toBe("undone"));
});

eachEngine(all, "a column that was not fetched, or that a new row left out, is written where it is assigned", async (db) => {
  const named = (words: string) =>
    db.list(
      from(Item)
        .where((i) => i.note.is(words))
        .columns("name"),
    );
  const undone = db.transaction(async (tx) => {
    await tx.work(async (w) => {
      const [first] = await w.list(from(Item).columns("id", "name").limit(1));
      const added = w.add(Item, { depotId: 1, name: "new" });
      added.note = "later";
      if (first !== undefined) first.note = "given";
      expect([first?.note, added.note]).toEqual(["given", "later"]);
    });
    const found = await Promise.all(
      ["given", "later"].map((words) =>
        tx.list(
          from(Item)
            .where((i) => i.note.is(words))
            .columns("name"),
        ),
      ),
    );
    expect(found.map((rows) => rows.length)).toEqual([1, 1]);
    throw new Error("undone");
  });
  await expect(undone).rejects.toThrow("undone");
  expect(await named("given")).toEqual([]);
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
      expect(inspect(loan)).toMatch(/^Loan \{/);
      expect(inspect(loan, { depth: null })).toContain(`memberId: ${memberId}`);
      expect(structuredClone({ ...loan })).toMatchObject(shown);
      expect(Object.keys(loan)).toEqual(["id", "itemId", "memberId", "due", "returned", "item"]);
    });
    expect(sent).toBe(0);
  });
});

eachEngine(all, "along() gives the rows of a relation of rows in hand, as a reach does", async (db) => {
  for (const { name, relations, isReadOnly } of entitiesOf(lending)) {
    // biome-ignore lint/suspicious/noExplicitAny: each entity in turn
    const [entity, any] = [lending[name as "Item"] as any, from as any];
    for (const relation of isReadOnly ? [] : relations.keys()) {
      const owners = (await db.list(
        any(entity)
          .limit(7)
          .reach({ [relation]: true }),
      )) as Record<string, object | object[]>[];
      const reached = new Set(owners.flatMap((owner) => owner[relation] ?? []).map((row) => inspect(row)));
      const found = (await db.list(along(entity, owners, relation as never))).map((row) => inspect(row));
      expect([found.length, new Set(found)], `${name}.${relation}`).toEqual([reached.size, reached]);
    }
  }
  const [item] = await db.list(from(Item).limit(1));
  if (item === undefined) throw new Error("no item");
  expect(await db.count(along(Item, item, "loans").where((l) => l.returned.is(null)))).toBeLessThan(await db.count(along(Item, item, "loans")));
  // @ts-expect-error a row without the columns that the relation goes out from
  expect(() => along(Item, { name: "x" }, "loans")).toThrow(/ROW_KEYLESS|has no Item\.id/);
  expect(await db.list(along(Item, [], "loans"))).toEqual([]);
});

test("what makes no sense of a live entity does not compile", () => {
  const _wrong = async (w: UnitOfWork) => {
    const [loan] = await w.list(from(Loan).reach({ item: true }));
    if (loan === undefined) return;
    expectTypeOf(loan.item).toExtend<{ name: string }>();
    expectTypeOf(await loan.borrower).toExtend<{ name: string }>();
    expectTypeOf(loan.borrower).toExtend<Live<Lending, "Member"> | Lazy<Live<Lending, "Member">>>();
    expectTypeOf(await w.list(from(Loan).select((l) => l.due))).toEqualTypeOf<string[]>();
    // @ts-expect-error a lazy relation that is not awaited
    void loan.borrower.name;
    // @ts-expect-error an entity of another kind
    loan.borrower = loan.item;
    const [strict] = await w.list(from(Loan).outside("refuse").reach({ item: true }).limit(1));
    if (strict === undefined) return;
    expectTypeOf(strict.item).toExtend<{ name: string }>();
    expectTypeOf(strict).toExtend<Live<Lending, "Loan">>();
    // @ts-expect-error what the query refuses
    void (await strict.borrower).name;
    const [named] = await w.list(
      from(Item)
        .reach({ depot: (d) => d.outside("refuse", "items") })
        .outside("refuse", "loans", "kits")
        .outside("load", "kits"),
    );
    if (named === undefined) return;
    expectTypeOf(await named.kits).toExtend<readonly { name: string }[]>();
    // @ts-expect-error what the query refuses by name
    void (await named.loans).length;
    // @ts-expect-error what a reached relation refuses
    void (await named.depot.items).length;
    // @ts-expect-error the key is given once
    loan.id = 5;
    const [former] = await w.list(from(lending.FormerLoan));
    // @ts-expect-error the entity is only read
    if (former !== undefined) former.item = "x";
    // @ts-expect-error a new row has no such column
    w.add(Loan, { itemId: 1, memberId: 1, due: "2026-01-01", colour: "red" });
    // @ts-expect-error a plain row is no entity
    w.remove({ id: 1 });
    // @ts-expect-error there is no such relation
    isHere(loan, "borrowers");
  };
  expect(_wrong).toBeTypeOf("function");
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
    { notes: toMany("Note", { by: "boxId", order: { id: "desc" }, owns: true }) },
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
      { label: "theirs" },
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

eachEngine(empty, "a document changes an entity and what is below it, or is refused with all that is wrong", async (db) => {
  await prepare(db);
  const at = { street: "Elm", town: "X" };
  await db.work(async (w) => {
    w.add(Box, { label: "one", at, notes: [{ body: "a" }, { body: "b" }] });
    w.add(Box, { label: "two", at, notes: [{ body: "c" }] });
  });
  const [one, two] = await boxes(db);
  if (one === undefined || two === undefined) throw new Error("no boxes");
  const [b, a] = one.notes as unknown as { id: number }[];
  const patching = (document: object, removes: string[] = []) => db.work(async (w) => w.patch(await w.byKey(Box, one.id), document, { removes }));
  await patching({
    label: "uno",
    turn: 1,
    at: { town: null },
    seen: "2026-01-02T03:04:05Z",
    notes: [
      { id: a?.id, body: "A" },
      { body: "new", day: "2026-05-05" },
    ],
  });
  expect((await boxes(db))[0]).toMatchObject({
    ...{ id: one.id, label: "uno", at: { street: "Elm", town: null }, seen: new Date("2026-01-02T03:04:05Z"), turn: 2 },
    notes: [{ body: "new", day: "2026-05-05", boxId: one.id }, { body: "b" }, { body: "A" }],
  });
  const stranger = (two.notes as unknown as { id: number }[])[0]?.id;
  const refused = await patching({
    label: 5,
    colour: "red",
    id: 99,
    at: { town: 7 },
    notes: [{ id: stranger, body: "mine" }, { body: 1 }, { boxId: 4, body: "x" }],
  }).catch((e) => e);
  expect(refused).toMatchObject({ code: "PATCH_REFUSED", names: { entity: "Box" } });
  expect(refused.names.issues.map(({ path }: { path: unknown[] }) => path.join("/")).toSorted()).toEqual([
    "at/town",
    "colour",
    "id",
    "label",
    "notes/0",
    "notes/1/body",
    "notes/2/boxId",
  ]);
  await expect(patching({ turn: 1, label: "late" })).rejects.toMatchObject({ code: "CONFLICT" });
  // What others may change is named; keys and versions stand there as they are.
  const narrowed = (document: object) => db.work(async (w) => w.patch(await w.byKey(Box, one.id), document, { only: ["Box.notes", "Note.body"] }));
  const beyond = await narrowed({
    id: one.id,
    label: "mine",
    notes: [
      { id: b?.id, day: "2026-01-01" },
      { body: "x", day: "2026-01-01" },
    ],
  }).catch((e) => e);
  expect(beyond.names.issues).toEqual(
    ["label", "notes/0/day", "notes/1/day"].map((path) => ({
      message: "is not to be changed here",
      path: path.split("/").map((step) => (/\d/.test(step) ? Number(step) : step)),
    })),
  );
  await narrowed({ turn: 2, notes: [{ id: b?.id, body: "b" }] });
  await patching({ notes: [{ id: b?.id }] }, ["Box.notes"]);
  expect((await boxes(db))[0]?.notes).toMatchObject([{ body: "b" }]);
  // What belongs to a removed row goes with it.
  await db.work(async (w) => w.remove(await w.byKey(Box, one.id)));
  expect([await db.count(from(Box)), await db.count(from(desk.Note))]).toEqual([1, 1]);
});

const chain = model({
  Link: entity(
    "work_link",
    { shelf: varchar(9).key, place: integer.key, aboveShelf: varchar(9).nullable, abovePlace: integer.nullable },
    { above: toOne("Link", { by: ["aboveShelf", "abovePlace"] }) },
  ),
});

eachEngine(empty, "removed rows that refer to each other by several columns go from the lowest up", async (db) => {
  const { Link } = chain;
  await createTables(db, chain);
  await db.work(async (w) => {
    w.add(Link, { shelf: "a", place: 0 });
    for (const place of [1, 2, 3]) w.add(Link, { shelf: "a", place, aboveShelf: "a", abovePlace: place - 1 });
  });
  await db.work(async (w) => {
    for (const link of await w.list(from(Link).orderBy((l) => l.place.asc))) {
      // The database's row still refers to it.
      link.aboveShelf = null;
      w.remove(link);
    }
  });
  expect(await db.count(from(Link))).toBe(0);
});

eachEngine(empty, "hooks see each row before and after it is written, and give it columns", async (db, { connect }) => {
  await prepare(db);
  const seen: unknown[] = [];
  const told: string[] = [];
  const hooked = connect({
    hooks: {
      beforeWrite: ({ kind, has, given }) => (kind !== "delete" && has("label") ? { seen: new Date(given("user") as number) } : undefined),
      afterWrite: ({ entity: of, kind, old, fresh, columns, afterCommit }) => {
        seen.push([of, kind, old?.label, fresh?.label, kind === "update" ? columns : typeof (fresh ?? old)?.id]);
        afterCommit(() => told.push(kind));
      },
    },
  }).as({ user: 7 });
  await hooked.work(async (w) => {
    const box = w.add(Box, { label: "one", at: { street: "Elm", town: null } });
    await w.flush();
    box.label = "two";
    box.at.town = "X";
    await w.flush();
    w.remove(box);
  });
  expect(seen).toEqual([
    ["Box", "insert", undefined, "one", "number"],
    ["Box", "update", "one", "two", ["label", "at"]],
    ["Box", "delete", "two", undefined, "number"],
  ]);
  expect(told).toEqual(["insert", "update", "delete"]);
  await hooked.work(async (w) => void w.add(Box, { label: "kept", at: { street: "Elm", town: null } }));
  expect((await boxes(db)).map((box) => box.seen)).toEqual([new Date(7)]);
  const refusing = connect({
    hooks: {
      beforeWrite: () => {
        throw new Error("not now");
      },
    },
  });
  await expect(refusing.work(async (w) => w.remove(await w.single(from(Box))))).rejects.toThrow("not now");
  expect(await db.count(from(Box))).toBe(1);
});

eachEngine(empty, "rows of a table without constraints are told apart, or refused", async (db, { execute }) => {
  await execute("create table work_loose (code varchar(20) not null, above varchar(20), name varchar(20))");
  const { Loose } = model({
    Loose: entity(
      "work_loose",
      { code: varchar(20).key, above: varchar(20).nullable, name: text },
      {
        up: toOne("Loose", { by: "above", constraint: false }),
        down: toMany("Loose", { by: "above", constraint: false }),
      },
    ),
  });
  try {
    await db.insert(Loose, [
      { code: "a", name: "top" },
      { code: "b", above: "a", name: "low" },
      { code: "c", above: "lost", name: "none" },
    ]);
    await db.work(async (w) => {
      const rows = await w.list(from(Loose).orderBy((l) => l.code.asc));
      expect([await rows[0]?.up, (await rows[1]?.up) === rows[0], await rows[2]?.up]).toEqual([null, true, null]);
      const [, low] = rows;
      if (low !== undefined) low.above = "b";
      expect(await low?.up).toBe(low);
      await Promise.all([w.byKey(Loose, "a"), w.byKey(Loose, "b")]);
    });
    expect((await db.list(from(Loose).where((l) => l.code.is("b"))))[0]?.above).toBe("b");
    await db.insert(Loose, [{ code: "a", name: "again" }]);
    await expect(db.work((w) => w.list(from(Loose)))).rejects.toMatchObject({ code: "KEY_REPEATED" });
  } finally {
    await execute("drop table work_loose");
  }
});
