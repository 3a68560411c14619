import { expect, test } from "vitest";
import { dialects } from "../src/drivers/dialects.js";
import { and, from, GemachError, not, or, preview } from "../src/index.js";
import { lending } from "../tools/src/demo/index.js";

const { Depot, Item, Loan, Member } = lending;
const textOf = (query: Parameters<typeof preview>[0]) => preview(query, { dialect: dialects.sqlite }).map(({ text, parameters }) => [text, parameters]);

// biome-ignore lint/suspicious/noExplicitAny: what plain JavaScript may do and the types refuse
type Untyped = any;

test("deriving from a query twice gives two queries and leaves the first as it was", () => {
  const open = from(Loan).where((l) => l.returned.is(null));
  const before = textOf(open);
  const late = open.where((l) => l.due.below("2026-03-01")).orderBy((l) => l.due.desc);
  const few = open.limit(3).reach({ item: true });
  expect(textOf(open)).toEqual(before);
  expect(textOf(late)).not.toEqual(textOf(few));
  expect(textOf(few)[0]?.[1]).toEqual([3]);
});

test("awaiting a query just gives the query again", async () => {
  const query: Untyped = from(Loan);
  expect(await query).toBe(query);
});

test("given adds only where the value is there", () => {
  const narrowed = (town: string | null | undefined) => from(Depot).given(town, (q, t) => q.where((d) => d.town.is(t)));
  expect(textOf(narrowed("Carrow"))[0]?.[1]).toEqual(["Carrow"]);
  expect(textOf(narrowed(""))[0]?.[1]).toEqual([""]);
  for (const absent of [null, undefined]) expect(textOf(narrowed(absent))).toEqual(textOf(from(Depot)));
});

test("a later reach adds to an earlier one, and replaces it for the same relation", () => {
  const both = from(Loan)
    .reach({ item: { depot: true } })
    .reach({ borrower: true });
  expect(textOf(both)).toEqual(textOf(from(Loan).reach({ item: { depot: true }, borrower: true })));
  const again = from(Loan)
    .reach({ item: { depot: true } })
    .reach({ item: true });
  expect(textOf(again)).toEqual(textOf(from(Loan).reach({ item: true })));
});

/** What a caller does wrong, the code of the error, and words that its message must have. */
const misuse: readonly (readonly [name: string, act: () => unknown, code: string, words: string])[] = [
  ["loops over a query", () => [...(from(Loan) as Untyped)], "QUERY_NOT_RUN", "db.list(query)"],
  ["compares with undefined", () => from(Loan).where((l) => l.due.is(undefined as Untyped)), "VALUE_MISSING", "Loan.due"],
  ["asks for one of undefined", () => from(Loan).where((l) => l.due.oneOf(undefined as Untyped)), "VALUE_MISSING", "Loan.due"],
  ["has undefined in a list", () => from(Item).where((i) => i.id.oneOf([1, undefined as Untyped])), "VALUE_MISSING", "Item.id"],
  ["has null in a list", () => from(Item).where((i) => i.note.oneOf([null as Untyped])), "VALUE_UNFIT", "a list without null"],
  ["takes a single value for a list", () => from(Item).where((i) => i.id.oneOf(1 as Untyped)), "VALUE_UNFIT", "a list of values"],
  ["compares a number with text", () => from(Item).where((i) => i.id.is("1" as Untyped)), "VALUE_UNFIT", "Item.id takes a whole number"],
  ["compares a number with a fraction", () => from(Item).where((i) => i.id.is(1.5)), "VALUE_UNFIT", "whole number"],
  ["compares a number with more than 32 bits", () => from(Item).where((i) => i.id.is(2 ** 31)), "VALUE_UNFIT", "32 bits"],
  ["compares a day with a Date", () => from(Loan).where((l) => l.due.is(new Date() as Untyped)), "VALUE_UNFIT", "got a Date"],
  ["compares a day with no day of the calendar", () => from(Loan).where((l) => l.due.is("2026-02-30")), "VALUE_UNFIT", "2026-05-01"],
  [
    "compares a day with text",
    () => from(Loan).where((l) => l.returned.is(l.borrower.name as Untyped)),
    "VALUE_UNFIT",
    "an expression that is date, but got Member.name, which is text",
  ],
  ["compares a truth value with a number", () => from(Member).where((m) => m.blocked.is(1 as Untyped)), "VALUE_UNFIT", "true or false"],
  ["asks for more than null", () => from(Item).where((i) => i.note.above(null as Untyped)), "VALUE_UNFIT", "got null"],
  ["misspells a column", () => from(Loan).where((l: Untyped) => l.retruned.is(null)), "NAME_UNKNOWN", "Did you mean 'returned'?"],
  ["misspells a relation of a set", () => from(Depot).where((d: Untyped) => d.items.lones.exists()), "NAME_UNKNOWN", "Did you mean 'loans'?"],
  ["misspells a reached relation", () => from(Loan).reach({ itm: true } as Untyped), "NAME_UNKNOWN", "Did you mean 'item'?"],
  ["returns no predicate", () => from(Loan).where((() => true) as Untyped), "PREDICATE_EXPECTED", "where()"],
  ["returns a nullable truth value", () => from(Member).where(((m: Untyped) => m.sponsor.name) as Untyped), "PREDICATE_EXPECTED", "where()"],
  ["negates what is no predicate", () => not("x" as Untyped), "PREDICATE_EXPECTED", "not()"],
  ["joins predicates by &&", () => from(Loan).where((l) => l.id.is(1) && l.due.below("2026-01-01")), "PREDICATE_UNUSED", "and(...)"],
  [
    "joins predicates of a set by &&",
    () => from(Depot).where((d) => d.items.where((i) => i.id.is(1) && i.note.is(null)).exists()),
    "PREDICATE_UNUSED",
    "where()",
  ],
  ["gives no object for a key of several columns", () => from(lending.Tag).byKey(5 as Untyped), "VALUE_UNFIT", "an object of depotId, number"],
  ["gives a key of another kind", () => from(Loan).byKey("5" as Untyped), "VALUE_UNFIT", "Loan.id takes a whole number"],
  ["returns no order", () => from(Loan).orderBy(((l: Untyped) => l.due) as Untyped), "ORDER_EXPECTED", "row.name.asc"],
  ["limits to a fraction", () => from(Loan).limit(1.5), "LIMIT_UNFIT", "limit()"],
  ["skips fewer than none", () => from(Loan).offset(-1), "LIMIT_UNFIT", "offset()"],
  ["names no strategy", () => from(Loan).how("magic" as Untyped), "STRATEGY_UNKNOWN", "'batch'"],
  ["reaches with a number", () => from(Loan).reach({ item: 1 } as Untyped), "REACH_UNFIT", "a number for 'item'"],
  ["reaches with a foreign query", () => from(Loan).reach({ item: () => from(Item) as Untyped }), "REACH_UNFIT", "does not return the query it got"],
  ["projects nothing", () => from(Loan).select(() => ({})), "SELECTION_UNFIT", "its top"],
  ["projects a set of rows", () => from(Depot).select((d) => ({ a: { b: d.items as Untyped } })), "SELECTION_UNFIT", "'a.b'"],
  ["previews what is no query", () => preview(Loan as Untyped, { dialect: dialects.sqlite }), "QUERY_EXPECTED", "from(Entity)"],
  ["previews an unknown dialect", () => preview(from(Loan), { dialect: "latin" as Untyped }), "DIALECT_EXPECTED", "a name"],
];

test.each(misuse)("who %s gets an error that says what to do", (_, act, code, words) => {
  expect(act).toThrow(GemachError);
  expect(act).toThrow(expect.objectContaining({ code, message: expect.stringContaining(words) }));
});

test("predicates that are put together, and those from outside of a callback, are all used", () => {
  const kept = from(Loan).where((l) => {
    const late = l.due.below("2026-01-01");
    const inner = from(Item)
      .where((i) => and(i.id.is(l.itemId), late))
      .select((i) => i.id);
    return or(and(not(late), l.id.isNot(2)), l.itemId.notOneOf(inner), l.item.loans.where((x) => or(late, x.id.between(1, 2))).notExists());
  });
  expect(() => preview(kept, { dialect: dialects.sqlite })).not.toThrow();
});

test("looping asynchronously over a query is an error too", async () => {
  const loop = async () => {
    for await (const row of from(Loan) as Untyped) expect(row).toBeUndefined();
  };
  await expect(loop()).rejects.toThrow(expect.objectContaining({ code: "QUERY_NOT_RUN" }));
});

test("an expression kept from another query's callback is refused when the query is compiled", () => {
  let kept: Untyped;
  from(Item).where((i) => {
    kept = i;
    return and();
  });
  const query = from(Loan).where((l) => or(l.id.is(kept.id)));
  expect(() => preview(query, { dialect: dialects.sqlite })).toThrow(expect.objectContaining({ code: "ROW_OUT_OF_PLACE" }));
});

test("errors never hold the value", () => {
  const secret = "open sesame";
  try {
    from(Item).where((i) => i.id.is(secret as Untyped));
    expect.unreachable();
  } catch (error) {
    expect(JSON.stringify([error, (error as Error).message, (error as GemachError).names])).not.toContain(secret);
  }
});
