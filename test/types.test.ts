import { describe, expectTypeOf, test } from "vitest";
import { lending } from "../src/demo/index.js";
import {
  type Database,
  entity,
  from,
  identity,
  integer,
  layOut,
  model,
  type NewRowOf,
  type PlainRowOf,
  type Query,
  type RowOf,
  text,
  toMany,
  toOne,
  withLedger,
} from "../src/index.js";

const { Depot, Item, Loan, Member } = lending;

// Checked by the compiler (npm run check); nothing here is sent anywhere.
declare const db: Database;
const never = (_: () => unknown): void => {};

interface PlainLoan {
  readonly id: number;
  readonly itemId: number;
  readonly memberId: number;
  readonly due: string;
  readonly returned: string | null;
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
    layOut(db, Loan);
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
