import { describe, expect, test } from "vitest";
import { and, type Database, from, not, or, type Query } from "../src/index.js";
import { generate, lending } from "../tools/src/demo/index.js";
import { eachEngine, useSociety } from "./support/engines.js";

const { Depot, District, Item, Loan, Member } = lending;
const society = generate(6, 11, { items: 6, members: 4, loans: 15 });
const all = useSociety(society);
const { Depot: depots, District: districts, Item: items, Loan: loans, Member: members } = society;

const id = (row: { readonly id?: number }) => row.id as number;
const by = <T extends { readonly id?: number }>(rows: readonly T[], key: number | null | undefined) => rows.find((row) => row.id === key);
const itemOf = (loan: { readonly itemId: number }) => by(items, loan.itemId);
const depotOf = (item: { readonly depotId: number } | undefined) => by(depots, item?.depotId);
const memberOf = (loan: { readonly memberId: number }) => by(members, loan.memberId);
const sponsorOf = (member: { readonly sponsorId?: number | null } | undefined) => by(members, member?.sponsorId);
const isOpen = (loan: { readonly returned?: string | null }) => loan.returned === null;
const distinct = (values: readonly (number | undefined)[]) => new Set(values).size;
const ids = (rows: readonly { readonly id?: number }[]) => rows.map(id);
const name = depots[1]?.name as string;

/** A query, and the same worked out over the plain rows. */
const cases: readonly (readonly [what: string, query: Query, rows: readonly unknown[]])[] = [
  ["between, both included", from(Item).where((i) => i.id.between(3, 5)), items.slice(2, 5)],
  ["a column against another", from(Loan).where((l) => l.returned.above(l.due)), loans.filter((l) => !isOpen(l) && (l.returned as string) > l.due)],
  [
    "not against another column keeps rows without a value",
    from(Loan).where((l) => not(l.returned.above(l.due))),
    loans.filter((l) => isOpen(l) || (l.returned as string) <= l.due),
  ],
  ["two columns that may be missing are never equal", from(Loan).where((l) => l.item.note.is(l.borrower.sponsor.name)), []],
  ["and so always unequal", from(Loan).where((l) => l.item.note.isNot(l.borrower.sponsor.name)), loans],
  ["one of none", from(Item).where((i) => i.id.oneOf([])), []],
  ["none of none", from(Item).where((i) => i.id.notOneOf([])), items],
  ["one of texts with quotes and commas", from(Depot).where((d) => d.name.oneOf(["a,b", '"', "\\", "{}", name])), depots.filter((d) => d.name === name)],
  ["and of nothing is true", from(Item).where(() => and()), items],
  ["or of nothing is false", from(Item).where(() => or()), []],
  ["a path that may be missing", from(Member).where((m) => m.sponsor.sponsor.name.is(null)), members.filter((m) => sponsorOf(sponsorOf(m)) === undefined)],
  [
    "two conditions in one exists mean one row",
    from(Member).where((m) => m.loans.where((l) => and(l.returned.is(null), l.item.depotId.is(1))).exists()),
    members.filter((m) => loans.some((l) => l.memberId === m.id && isOpen(l) && itemOf(l)?.depotId === 1)),
  ],
  [
    "a condition that looks back at the owner",
    from(Member).where((m) => m.loans.where((l) => l.item.depotId.is(m.id)).exists()),
    members.filter((m) => loans.some((l) => l.memberId === m.id && itemOf(l)?.depotId === m.id)),
  ],
  [
    "an entity inside itself",
    from(Member).where((m) => m.sponsored.where((s) => s.sponsored.where((t) => t.blocked.is(m.blocked)).exists()).exists()),
    members.filter((m) => members.some((s) => s.sponsorId === m.id && members.some((t) => t.sponsorId === s.id && t.blocked === m.blocked))),
  ],
  [
    "count of related rows in where",
    from(Item).where((i) => i.loans.count().atLeast(4)),
    items.filter((i) => loans.filter((l) => l.itemId === i.id).length >= 4),
  ],
  [
    "order by a path",
    from(Item)
      .orderBy((i) => [i.depot.name.asc, i.id.desc])
      .select((i) => i.id),
    ids([...items].sort((a, b) => (depotOf(a)?.name ?? "").localeCompare(depotOf(b)?.name ?? "") || id(b) - id(a))),
  ],
  [
    "order by a count",
    from(Depot)
      .orderBy((d) => d.items.count().desc)
      .select((d) => d.id),
    ids([...depots].sort((a, b) => items.filter((i) => i.depotId === b.id).length - items.filter((i) => i.depotId === a.id).length || id(b) - id(a))),
  ],
  ["offset alone", from(Loan).offset(loans.length - 2), loans.slice(-2)],
  ["limit of none", from(Loan).limit(0), []],
  ["one value a row", from(District).select((d) => d.name), districts.map((d) => d.name)],
  ["a path that may be missing, projected", from(Member).select((m) => m.sponsor.name), members.map((m) => sponsorOf(m)?.name ?? null)],
  [
    "a nested projection with counts, predicates and paths",
    from(Depot).select((d) => ({
      name: d.name,
      of: { district: d.district.name },
      items: d.items.count(),
      open: d.items.loans.where((l) => l.returned.is(null)).count(),
      borrowers: d.items.loans.borrower.count(),
      noted: d.items.where((i) => i.note.isNot(null)).loans.count(),
      isFirst: d.id.is(1),
      isLent: d.items.loans.exists(),
    })),
    depots.map((d) => {
      const own = items.filter((i) => i.depotId === d.id);
      const lent = loans.filter((l) => own.some((i) => i.id === l.itemId));
      return {
        name: d.name,
        of: { district: by(districts, d.districtId)?.name },
        items: own.length,
        open: lent.filter(isOpen).length,
        borrowers: distinct(lent.map((l) => memberOf(l)?.id)),
        noted: lent.filter((l) => itemOf(l)?.note !== null).length,
        isFirst: d.id === 1,
        isLent: lent.length > 0,
      };
    }),
  ],
  [
    "a predicate over a missing value, projected, is false",
    from(Loan).select((l) => l.returned.above(l.due)),
    loans.map((l) => !isOpen(l) && (l.returned as string) > l.due),
  ],
  [
    "a set that goes up again has no duplicates",
    from(Member).select((m) => m.loans.item.depot.count()),
    members.map((m) => distinct(loans.filter((l) => l.memberId === m.id).map((l) => depotOf(itemOf(l))?.id))),
  ],
  [
    "a set that goes up and down again",
    from(Item).select((i) => i.loans.borrower.loans.item.count()),
    items.map((i) => {
      const borrowers = new Set(loans.filter((l) => l.itemId === i.id).map((l) => l.memberId));
      return distinct(loans.filter((l) => borrowers.has(l.memberId)).map((l) => l.itemId));
    }),
  ],
  [
    "given inside a set",
    from(Depot).select((d) => d.items.given(null as string | null, (set, note) => set.where((i) => i.note.is(note))).count()),
    depots.map((d) => items.filter((i) => i.depotId === d.id).length),
  ],
];

const onAll = async (check: (db: Database, engine: string) => Promise<void>): Promise<void> => {
  for (const engine of all()) await check(engine.connect(), engine.name);
};

test.each(cases)("%s", (_, query, rows) =>
  onAll(async (db, engine) => {
    expect(await db.list(query), engine).toStrictEqual(rows);
    expect(await db.count(query), `count, ${engine}`).toBe(rows.length);
    expect(await db.exists(query), `exists, ${engine}`).toBe(rows.length > 0);
  }),
);

describe("reached relations", () => {
  const latest = (key: number) => loans.filter((l) => l.memberId === key).sort((a, b) => (a.due < b.due ? 1 : a.due > b.due ? -1 : id(b) - id(a)));

  test("a projection inside a reach, also of a row that may be missing", () =>
    onAll(async (db, engine) => {
      const rows = members.map((m) => ({
        ...m,
        sponsor: sponsorOf(m) === undefined ? null : { called: sponsorOf(m)?.name },
        loans: latest(id(m)).map((l) => ({ due: l.due, item: itemOf(l)?.name })),
      }));
      const query = from(Member).reach({
        sponsor: (s) => s.select((m) => ({ called: m.name })),
        loans: (l) => l.orderBy((x) => x.due.desc).select((x) => ({ due: x.due, item: x.item.name })),
      });
      for (const how of ["join", "batch"] as const) expect(await db.list(query.how(how)), `${engine} by ${how}`).toStrictEqual(rows);
    }));

  test("lists are never shared, even where owners are the same row", () =>
    onAll(async (db) => {
      for (const how of ["join", "batch"] as const) {
        const found = await db.list(from(Loan).reach({ item: (i) => i.how("join").reach({ loans: (l) => l.how(how) }) }));
        const lists = found.map((loan) => loan.item.loans);
        expect(new Set(lists).size).toBe(found.length);
      }
    }));
});

describe("one row", () => {
  const third = from(Item).where((i) => i.id.is(3));
  const ofFirst = from(Item).where((i) => i.depotId.is(1));
  const count = items.filter((i) => i.depotId === 1).length;

  test("single and maybe give the one row, also with what it reaches", () =>
    onAll(async (db) => {
      const whole = { ...items[2], loans: loans.filter((l) => l.itemId === 3) };
      for (const how of ["join", "batch"] as const) {
        expect(await db.single(third.how(how).reach({ loans: true }))).toStrictEqual(whole);
        expect(await db.maybe(third.how(how).reach({ loans: true }))).toStrictEqual(whole);
      }
      expect(await db.single(ofFirst.orderBy((i) => i.id.desc).limit(1))).toStrictEqual(items.filter((i) => i.depotId === 1).at(-1));
    }));

  test("none: maybe gives null, single an error", () =>
    onAll(async (db) => {
      const none = from(Item).where((i) => i.id.is(-1));
      expect(await db.maybe(none)).toBeNull();
      await expect(db.single(none)).rejects.toMatchObject({
        code: "NONE_FOUND",
        message: expect.stringContaining("found no row of Item"),
      });
    }));

  test("several: both say how many", () =>
    onAll(async (db) => {
      for (const query of [ofFirst, ofFirst.how("join").reach({ loans: true })]) {
        await expect(db.single(query)).rejects.toMatchObject({
          code: "SEVERAL_FOUND",
          names: { entity: "Item", found: count, call: "single" },
        });
        await expect(db.maybe(query)).rejects.toMatchObject({
          code: "SEVERAL_FOUND",
          names: { found: count, call: "maybe" },
        });
      }
    }));
});

eachEngine(all, "reservations, which have a column of each kind and a class, are as they were written", async (_, engine) => {
  const written = society.Reservation.map((row) => ({ ...row, days: (Date.parse(row.ends) - Date.parse(row.begins)) / 86_400_000 + 1 }));
  const found = await engine.connect().list(
    from(lending.Reservation)
      .orderBy((r) => r.code.asc)
      .reach({ item: { tag: true } }),
  );
  expect(
    found.map(({ item: _, ...row }) => row),
    engine.name,
  ).toEqual(written);
  expect(found[0]?.covers(found[0].ends)).toBe(true);
  for (const { item } of found) expect(item.tag).toEqual(society.Tag.find(({ itemId }) => itemId === item.id) ?? null);
});
