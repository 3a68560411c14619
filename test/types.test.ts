import Sqlite from "better-sqlite3";
import { describe, expect, expectTypeOf, test } from "vitest";
import { sqlite } from "../src/drivers/sqlite.js";
import {
  type AnyDatabase,
  and,
  type ChangesOf,
  choice,
  coalesce,
  createTables,
  type Database,
  type Definitions,
  database,
  date,
  type Entity,
  type EntityChanges,
  type EntityName,
  entity,
  from,
  greatest,
  identity,
  integer,
  type KeyOf,
  literal,
  model,
  type NewRowOf,
  type NumberExpression,
  or,
  type PlainRow,
  type PlainRowOf,
  type Query,
  type QueryOf,
  type Reached,
  type ReachFaults,
  type ReachShape,
  type RowOf,
  sql,
  type Transaction,
  template,
  text,
  toMany,
  toOne,
  type UnitOfWork,
  union,
  uuid,
  value,
  varchar,
  when,
  withLedger,
} from "../src/index.js";
import { fill, generate, lending } from "../tools/src/demo/index.js";
import type { Lending } from "../tools/src/demo/lending.js";

const { Depot, Item, Loan, Member, Repair } = lending;

// Checked by the compiler (npm run check); nothing here is sent anywhere.
declare const db: Database;
const never = (_: () => unknown): void => {};

interface PlainLoan {
  id: number;
  itemId: number;
  memberId: number;
  due: string;
  returned: string | null;
}
type Mutable<T> = { -readonly [P in keyof T]: T[P] };

describe("the type of a row is exactly what was fetched", () => {
  test("plain rows", () => {
    expectTypeOf<PlainRowOf<typeof Loan>>().branded.toEqualTypeOf<PlainLoan>();
    expectTypeOf(from(Loan)).toExtend<Query<PlainLoan>>();
    expectTypeOf<Mutable<NewRowOf<typeof Loan>>>().branded.toEqualTypeOf<{
      id?: number;
      itemId: number;
      memberId: number;
      due: string;
      returned?: string | null;
    }>();
  });

  test("reached relations: one, one that may be missing, many, nested, narrowed", () => {
    const reached = from(Loan).reach({
      item: { depot: true },
      borrower: (m) => m.reach({ sponsor: true, sponsored: true }),
    });
    type Row = RowOf<typeof reached>;
    expectTypeOf<Row["item"]["depot"]["name"]>().toEqualTypeOf<string>();
    expectTypeOf<Row["borrower"]["sponsor"]>().branded.toEqualTypeOf<PlainRowOf<typeof Member> | null>();
    expectTypeOf<Row["borrower"]["sponsored"]>().branded.toEqualTypeOf<PlainRowOf<typeof Member>[]>();
    expectTypeOf<keyof Row>().toEqualTypeOf<keyof PlainLoan | "item" | "borrower">();
    expectTypeOf<keyof Row["item"]>().toEqualTypeOf<"id" | "depotId" | "name" | "note" | "depot">();

    const narrowed = from(Depot).reach({
      items: (i) =>
        i
          .where((x) => x.note.isNot(null))
          .limit(3)
          .select((x) => ({ n: x.name })),
    });
    expectTypeOf<RowOf<typeof narrowed>["items"]>().toEqualTypeOf<{ n: string }[]>();
    // @ts-expect-error what was not reached is not there
    never(() => ({}) as Row["item"]["loans"]);
  });

  test("projections", () => {
    const projected = from(Depot).select((d) => ({
      name: d.name,
      open: d.items.loans.where((l) => l.returned.is(null)).count(),
      district: { name: d.district.name, any: d.items.exists() },
    }));
    expectTypeOf<RowOf<typeof projected>>().toEqualTypeOf<{
      name: string;
      open: number;
      district: { name: string; any: boolean };
    }>();
    expectTypeOf<RowOf<ReturnType<typeof sponsors>>>().toEqualTypeOf<string | null>();
  });
  const sponsors = () => from(Member).select((m) => m.sponsor.name);

  test("verbs", () => {
    never(async () => {
      expectTypeOf(await db.list(sponsors())).toEqualTypeOf<(string | null)[]>();
      expectTypeOf(await db.maybe(from(Loan).select((l) => l.due))).toEqualTypeOf<string | null>();
      expectTypeOf(await db.single(from(Loan).select((l) => l.due))).toEqualTypeOf<string>();
      expectTypeOf(await db.count(from(Loan))).toEqualTypeOf<number>();
      expectTypeOf((await withLedger(db, "x", () => db.exists(from(Loan)))).result).toEqualTypeOf<boolean>();
    });
  });
});

test("what may be null says so, and nothing else does", () => {
  const site = value({ street: text });
  const { Yard } = model({ Yard: entity("yard", { id: identity, size: integer, note: text.nullable, site: site.nullable, home: site }) });
  const sites = from(Yard).select((y) => ({ site: y.site, home: y.home }));
  expectTypeOf<RowOf<typeof sites>>().toEqualTypeOf<{ site: { street: string | null } | null; home: { street: string } }>();
  const groups = from(Yard)
    .groupBy((y) => y.note)
    .select((g) => ({
      least: g.min((y) => y.size),
      sum: g.sum((y) => y.size),
      note: g.max((y) => y.note),
      some: g.where((y) => y.size.above(2)).max((y) => y.size),
    }));
  expectTypeOf<RowOf<typeof groups>>().toEqualTypeOf<{ least: number; sum: number; note: string | null; some: number | null }>();
  const both = union(
    from(Yard).select((y) => ({ word: y.home.street, id: y.id })),
    from(Yard).select((y) => ({ word: y.note, id: y.size })),
  );
  expectTypeOf<RowOf<typeof both>>().toEqualTypeOf<{ word: string | null; id: number }>();
  never(() => {
    // @ts-expect-error a codec does not make null of a value
    text.as<string | null>({ decode: (word) => (word === "" ? null : word), encode: (word) => word ?? "" });
  });
});

/** A repository of any entity, as one would write it. */
class Repository<D extends Definitions<D>, E extends EntityName<D>> {
  readonly #db: Database;
  readonly #entity: Entity<D, E>;

  constructor(db: Database, entity: Entity<D, E>) {
    this.#db = db;
    this.#entity = entity;
  }

  byId(key: KeyOf<D, E>): Promise<PlainRow<D, E> | null> {
    return this.#db.maybe(from(this.#entity).byKey(key));
  }

  all<const S extends ReachShape<D, E>>(shape: S & NoInfer<ReachFaults<D, E, S>>): Promise<Reached<D, E, PlainRow<D, E>, S>[]> {
    return this.#db.list(from(this.#entity).reach<S>(shape));
  }

  change(key: KeyOf<D, E>, changes: EntityChanges<D, E>): Promise<number> {
    return this.#db.update(from(this.#entity).byKey(key), changes);
  }
}

test("a repository of any entity needs no cast", async () => {
  const own = database(sqlite(new Sqlite(":memory:")));
  await createTables(own, lending);
  await fill(own, generate(1));
  const [loans, tags] = [new Repository(own, Loan), new Repository(own, lending.Tag)];
  const loan = await loans.byId(5);
  expectTypeOf(loan).toEqualTypeOf<PlainRowOf<typeof Loan> | null>();
  expect(loan?.id).toBe(5);
  const [first] = await loans.all({ item: { depot: true } });
  expectTypeOf<NonNullable<typeof first>["item"]["depot"]["name"]>().toEqualTypeOf<string>();
  expect(first?.item.depot.id).toBe(1);
  const changes: ChangesOf<typeof Loan> = { due: "2026-05-01" };
  expect(await loans.change(5, changes)).toBe(1);
  expect((await loans.byId(5))?.due).toBe("2026-05-01");
  const tag = await own.single(from(lending.Tag).limit(1));
  expect(await tags.byId({ depotId: tag.depotId, number: tag.number })).toEqual(tag);
  const late = (query: QueryOf<typeof Loan, PlainRowOf<typeof Loan>>) => query.where((l) => l.returned.is(null)).limit(1);
  expect(await own.list(late(from(Loan)))).toHaveLength(1);
  never(() => {
    // @ts-expect-error a key of several columns is an object of them
    tags.byId(5);
    // @ts-expect-error a key of another type
    loans.byId("5");
    // @ts-expect-error a relation that is not there
    loans.all({ itm: true });
  });
});

test("what must not compile", () => {
  never(() => {
    // @ts-expect-error a relation that is not there
    from(Loan).reach({ itm: true });
    // @ts-expect-error a relation that is not there, beside one that is
    from(Loan).reach({ item: true, itm: true });
    // @ts-expect-error a relation that is not there, deeper
    from(Loan).reach({ item: { depott: true } });
    // @ts-expect-error a column is no relation
    from(Loan).reach({ due: true });
    // @ts-expect-error there is nothing to limit in a to-one relation
    from(Loan).reach({ item: (i) => i.limit(1) });
    // @ts-expect-error a column that is not there
    from(Loan).where((l) => l.retruned.is(null));
    // @ts-expect-error a column of a set cannot be read as if there were one row
    from(Depot).where((d) => d.items.name.is("x"));
    // @ts-expect-error null where there is always a value
    from(Loan).where((l) => l.due.is(null));
    // @ts-expect-error undefined never
    from(Loan).where((l) => l.returned.is(undefined));
    // @ts-expect-error a value of another type
    from(Loan).where((l) => l.due.is(5));
    // @ts-expect-error an expression of another type
    from(Loan).where((l) => l.due.is(l.itemId));
    // @ts-expect-error a day is no text, though both are strings
    from(Loan).where((l) => l.due.is(l.borrower.name));
    // @ts-expect-error truth values have no order
    from(Member).where((m) => m.blocked.above(false));
    // @ts-expect-error a plain truth value is no predicate
    from(Member).where(() => true);
    // @ts-expect-error a column that may be null is no predicate
    from(Member).where((m) => m.sponsor.blocked);
    // @ts-expect-error an expression is no order
    from(Loan).orderBy((l) => l.due);
    // @ts-expect-error an unknown strategy
    from(Loan).how("magic");
    // @ts-expect-error a query is not its rows
    for (const loan of from(Loan)) never(() => loan);
    // @ts-expect-error nor has it their methods
    from(Loan).map((l) => l);
    from(Loan)
      .select((l) => l.due)
      // @ts-expect-error a projection brings what it names and reaches no further
      .reach({ item: true });
    // @ts-expect-error a set of rows is no value
    from(Depot).select((d) => ({ items: d.items }));
    // @ts-expect-error a new row needs its columns
    db.insert(Item, [{ name: "Drill" }]);
    // @ts-expect-error a new row has no other columns
    db.insert(Depot, [{ districtId: 1, name: "Elm Yard", town: "Carrow", colour: "red" }]);
    // @ts-expect-error an entity is no query
    db.list(Loan);
    // @ts-expect-error an entity is no model
    createTables(db, Loan);
  });
});

describe("the type of an expression follows what it is made of", () => {
  test("what may be missing stays so, until it cannot be", () => {
    const query = from(Loan).select((l) => ({
      back: l.returned.plusDays(1),
      days: l.returned.daysSince(l.due),
      sure: coalesce(l.returned, l.due),
      unsure: coalesce(l.returned, l.returned),
      share: l.itemId.dividedBy(2),
      long: l.itemId.asBigint(),
      exact: l.itemId.asNumeric(2),
      name: l.borrower.sponsor.name.concat("!"),
      state: when(l.returned.is(null), "out").otherwise("back"),
      none: when(l.returned.is(null), 1).otherwise(null),
      last: l.item.loans.max((x) => x.due),
      count: l.item.loans.count(),
      first: l.item.loans.first((x) => x.returned),
      all: l.item.loans.select((x) => ({ due: x.due })),
    }));
    expectTypeOf<RowOf<typeof query>>().branded.toEqualTypeOf<{
      back: string | null;
      days: number | null;
      sure: string;
      unsure: string | null;
      share: number | null;
      long: bigint;
      exact: string;
      name: string | null;
      state: string;
      none: number | null;
      last: string | null;
      count: number;
      first: string | null;
      all: { due: string }[];
    }>();
  });

  test("joins, groups, unions, other queries as sources", () => {
    const joined = from(Item)
      .leftJoin(Loan, (i, l) => l.itemId.is(i.id))
      .select((i, l) => ({ name: i.name, due: l.due, by: l.borrower.name }));
    expectTypeOf<RowOf<typeof joined>>().branded.toEqualTypeOf<{ name: string; due: string | null; by: string | null }>();
    const grouped = from(Loan)
      .groupBy((l) => ({ by: l.borrower.name }))
      .select((g) => ({ by: g.key.by, loans: g.count(), last: g.max((l) => l.returned) }));
    expectTypeOf<RowOf<typeof grouped>>().branded.toEqualTypeOf<{ by: string; loans: number; last: string | null }>();
    expectTypeOf<RowOf<ReturnType<typeof from<{ loans: NumberExpression<number, "integer"> }>>>>().toEqualTypeOf<{ loans: number }>();
    const both = union(
      from(Depot).select((d) => d.name),
      from(Item).select((i) => i.name),
    );
    expectTypeOf<RowOf<typeof both>>().toEqualTypeOf<string>();
  });
});

test("what must not compile in expressions and writes", () => {
  const one = from(Loan).where((l) => l.id.is(1));
  const groups = from(Loan).groupBy((l) => l.itemId);
  const names = from(Depot).select((d) => d.name);
  const ids = from(Item).select((i) => i.id);
  const joined = from(Item).leftJoin(Loan, (i, l) => l.itemId.is(i.id));
  const strings = (_: Query<string>): void => {};
  const byKey = template({ id: integer }, (p) => from(Loan).where((l) => l.id.is(p.id)));
  never(() => {
    // @ts-expect-error a text has no sum
    from(Loan).select((l) => l.due.plus(1));
    // @ts-expect-error whole numbers are not rounded
    from(Loan).select((l) => l.itemId.rounded());
    // @ts-expect-error a decimal is not compared with a number
    from(Repair).where((r) => r.cost.above(5));
    // @ts-expect-error a floating-point number and a decimal are not added without a cast
    from(Repair).select((r) => r.cost.plus(r.itemId.asDouble()));
    // @ts-expect-error a number does not contain anything
    from(Item).where((i) => i.id.contains("1"));
    // @ts-expect-error texts are not added up
    from(Item).select((i) => i.loans.sum((l) => l.due));
    // @ts-expect-error a truth value has no maximum
    from(Item).select((i) => i.loans.max((l) => l.borrower.blocked));
    // @ts-expect-error a column outside of the key
    groups.select((g) => g.memberId);
    // @ts-expect-error what is joined from the left may be missing
    strings(joined.select((_, l) => l.due));
    // @ts-expect-error queries of other values
    union(names, ids);
    // @ts-expect-error a query of values of another type
    from(Loan).where((l) => l.itemId.oneOf(names));
    // @ts-expect-error a column that is not there
    db.update(one, { retruned: null });
    // @ts-expect-error a value of another type
    db.update(one, { due: 5 });
    // @ts-expect-error null where there is always a value
    db.update(one, { due: null });
    // @ts-expect-error an expression of another kind
    db.update(one, (l) => ({ due: l.itemId }));
    // @ts-expect-error a projection has no rows to delete
    db.delete(ids);
    // @ts-expect-error a template's parameter of another type
    byKey.with({ id: "1" });
    // @ts-expect-error a template's parameter that is not there
    byKey.with({});
  });
});

test("mistakes in a model that do not compile", () => {
  never(() => {
    const depot = entity("depot", { id: identity });
    model({
      Depot: depot,
      // @ts-expect-error there is no entity 'Depott' in this model
      Item: entity("item", { id: identity, depotId: integer }, { depot: toOne("Depott", { by: "depotId" }) }),
    });
    model({
      Depot: depot,
      // @ts-expect-error Item has no column 'depoId'
      Item: entity("item", { id: identity, depotId: integer }, { depot: toOne("Depot", { by: "depoId" }) }),
    });
    model({
      // @ts-expect-error Item has no column 'depot'
      Depot: entity("depot", { id: identity, name: text }, { items: toMany("Item", { by: "depot" }) }),
      Item: entity("item", { id: identity, depotId: integer }),
    });
  });
});

test("what reads and writes takes a database, a transaction, and that of a unit of work", () => {
  expectTypeOf<UnitOfWork["tx"]>().toEqualTypeOf<Transaction>();
  const names = async (db: AnyDatabase): Promise<number> => await db.count(from(Note));
  const { Note } = model({ Note: entity("note", { id: identity }) });
  const never = (db: Database) => [names(db), db.transaction((tx) => names(tx)), db.work((w) => names(w.tx))];
  expect(never).toBeTypeOf("function");
});

test("a text keeps its kind, wherever it comes from", () => {
  const { Play } = model({
    Play: entity("play", { id: identity, title: text, code: varchar(10), opens: date, state: choice("open", "over"), ref: uuid }),
  });
  const right = (db: Database): unknown[] => [
    from(Play).where((p) => and(p.title.is(literal(text, "a")), p.code.is(literal(text, "a")), p.title.is(literal(varchar(3), "a")))),
    from(Play).where((p) => and(p.title.is(p.code), p.title.is(sql(text)`lower(${p.code})`), p.state.is(literal(choice("open", "over"), "open")))),
    from(Play).where((p) => or(literal(text, "abc").contains(p.title), sql(text)`lower(${p.title})`.startsWith("a"))),
    from(Play).orderBy((p) => sql(text)`lower(${p.title})`.asc),
    from(Play).select((p) => ({ one: coalesce(p.title, literal(text, "x")), two: greatest(p.title, p.code) })),
    db.update(from(Play), (p) => ({ title: literal(text, "a"), code: sql(text)`upper(${p.title})`, opens: sql(date)`current_date` }), { all: true }),
  ];
  const wrong = (db: Database): unknown[] => [
    // @ts-expect-error a day is no text
    db.update(from(Play), (p) => ({ title: p.opens }), { all: true }),
    // @ts-expect-error a UUID is no text
    db.update(from(Play), (p) => ({ title: p.ref }), { all: true }),
    // @ts-expect-error a text is no day
    db.update(from(Play), (p) => ({ opens: p.title }), { all: true }),
    // @ts-expect-error a text is no day
    from(Play).where((p) => p.opens.is(literal(text, "2026-01-01"))),
    // @ts-expect-error a day is no text
    from(Play).where((p) => p.title.is(sql(date)`current_date`)),
  ];
  expect([right, wrong].every((one) => typeof one === "function")).toBe(true);
});

test("a function of some entities uses the columns that they all have", async () => {
  const named = <E extends "Depot" | "Item">(db: AnyDatabase, entity: Entity<Lending, E>, name: string) =>
    db.list(from(entity).where((row) => row.name.is(name)));
  const db = database(sqlite(new Sqlite(":memory:")));
  await createTables(db, lending);
  await fill(db, generate(1, 7, { items: 3, members: 2, loans: 2 }));
  const [depot] = await db.list(from(Depot));
  expect((await named(db, Depot, depot?.name as string)).map(({ id }) => id)).toEqual([depot?.id]);
  expect(await named(db, Item, "no such name")).toEqual([]);
});
