import { expect, test } from "vitest";
import {
  createTables,
  type Database,
  database,
  date,
  entity,
  from,
  identity,
  integer,
  intersect,
  linked,
  model,
  text,
  timestamp,
  toMany,
  toOne,
  value,
  withLedger,
} from "../src/index.js";

// Each misspelt option is refused by the compiler, as the lines show, and at run time, whoever calls it.
declare const db: Database;
const { Hut } = model({ Hut: entity("hut", { id: identity, name: text, xId: integer }, { x: toOne("Hut", { by: "xId" }) }) });

const atOnce: Readonly<Record<string, () => unknown>> = {
  // @ts-expect-error `when`
  wen: () => toOne("Hut", { by: "xId", wen: { name: "a" } }),
  // @ts-expect-error `constraint`
  constrain: () => toOne("Hut", { by: "xId", constrain: false }),
  // @ts-expect-error `missing`
  mising: () => toOne("Hut", { by: "xId", mising: "error" }),
  // @ts-expect-error `onDelete`
  onDelet: () => toOne("Hut", { keyInTarget: "xId", onDelet: "cascade" }),
  // @ts-expect-error `owns`
  own: () => toMany("Hut", { by: "xId", own: true }),
  // @ts-expect-error `from`
  form: () => linked("Hut", { by: "X", form: "a" }),
  // @ts-expect-error `readOnly`
  readonly: () => entity("t", { id: identity }, {}, { readonly: true }),
  // @ts-expect-error `indexes`
  indexs: () => entity("t", { id: identity }, {}, { indexs: [] }),
  // @ts-expect-error `unique`
  uniqe: () => model({ T: entity("t", { id: identity, n: value({ a: integer }) }, {}, { indexes: [{ on: ["id"], uniqe: true }] }) }),
  // @ts-expect-error `removed`
  remved: () => model({ T: entity("t", { id: identity, gone: timestamp.nullable }, {}, { standing: { p: { column: "gone", is: null, remved: () => 1 } } }) }),
  // @ts-expect-error `columnNames`
  columnName: () => model({ T: entity("t", { id: identity }) }, { columnName: undefined }),
};

test("a misspelt option of a model does not compile, and is refused with the near one", () => {
  for (const [name, make] of Object.entries(atOnce)) expect(make, name).toThrow(new RegExp(name));
});

test("a misspelt option of a verb does not compile", () => {
  const never = (): unknown[] => [
    // @ts-expect-error `signal`
    db.list(from(Hut), { signl: 1 }),
    // @ts-expect-error `all`
    db.update(from(Hut), { name: "a" }, { al: true }),
    // @ts-expect-error `returning`
    db.insert(Hut, [{ name: "a", xId: 1 }], { returnin: true }),
    // @ts-expect-error `outside`
    db.work(async () => {}, { outsid: "load" }),
    // @ts-expect-error `retries`
    db.transaction(async () => {}, { retry: 3 }),
    // @ts-expect-error `number`
    db.page(from(Hut), { size: 1, numbr: 2 }),
    // @ts-expect-error `plans`
    withLedger(db, "x", async () => {}, { plan: true }),
    // @ts-expect-error `by`
    db.upsert(Hut, [{ name: "a", xId: 1 }], { bye: ["name"] }),
    // @ts-expect-error `only`
    db.work(async (w) => w.patch(await w.byKey(Hut, 1), { name: "b" }, { ony: ["Hut.name"] })),
    // @ts-expect-error `analyze`
    db.explain(from(Hut), { analyse: true }),
    // @ts-expect-error `strategy`
    database(db as never, { strateg: "join" }),
    // @ts-expect-error there are none
    createTables(db, model({}), { x: 1 }),
  ];
  expect(never).toBeTypeOf("function");
});

test("what a column or a query cannot be given does not compile", () => {
  const { Hall, Play, Seen } = model({
    Hall: entity(
      "hall",
      { id: identity, name: text, turn: integer.version, size: integer.computed, opens: date },
      {},
      { computes: (h) => ({ size: h.name.length() }) },
    ),
    Play: entity("play", { id: identity, hallId: integer, title: text }, { hall: toOne("Hall", { by: "hallId" }) }),
    Seen: entity("seen", { id: identity, name: text }, {}, { readOnly: true }),
  });
  const never = async (isReached: boolean): Promise<unknown> => {
    const shape: { hall?: true } = isReached ? { hall: true } : {};
    const [play] = await db.list(from(Play).reach(shape));
    return [
      // @ts-expect-error it is reached perhaps
      play?.hall.name,
      play?.hall?.name,
      // @ts-expect-error each change raises the version
      db.update(from(Hall), { turn: 3 }, { all: true }),
      // @ts-expect-error the database computes it
      db.update(from(Hall), { size: 3 }, { all: true }),
      // @ts-expect-error the database computes it
      db.updateRows(Hall, [{ id: 1, size: 3 }]),
      // A row may bring the version that it was read at.
      db.updateRows(Hall, [{ id: 1, turn: 3, name: "a" }]),
      // @ts-expect-error it is only read
      db.update(from(Seen), { name: "a" }, { all: true }),
      // @ts-expect-error it is only read
      db.updateRows(Seen, [{ id: 1, name: "a" }]),
      // @ts-expect-error a text is no day
      from(Hall).where((h) => h.opens.oneOf(from(Hall).select((x) => x.name))),
      from(Hall).where((h) => h.opens.oneOf(from(Hall).select((x) => x.opens))),
      intersect(
        from(Hall).select((h) => h.name),
        // @ts-expect-error a day is no text
        from(Hall).select((h) => h.opens),
      ),
      db.insertFrom(
        Play,
        // @ts-expect-error a day is no text
        from(Hall).select((h) => ({ hallId: h.id, title: h.opens })),
      ),
      db.insertFrom(
        Play,
        from(Hall).select((h) => ({ hallId: h.id, title: h.name })),
      ),
    ];
  };
  expect(never).toBeTypeOf("function");
});
