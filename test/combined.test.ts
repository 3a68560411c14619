import { expect, test } from "vitest";
import { generate, lending } from "../src/demo/index.js";
import {
  and,
  avgOver,
  coalesce,
  denseRank,
  exists,
  firstValue,
  from,
  lastValue,
  notExists,
  type Query,
  rank,
  recursive,
  rowNumber,
  sumOver,
  tuple,
  union,
  when,
} from "../src/index.js";
import { useSociety } from "./support/engines.js";

const { Category, Depot, Item, Kit, KitItem, Loan, Member, Repair, Reservation, Tag } = lending;
const society = generate(5, 3, { items: 5, members: 4, loans: 14 });
const all = useSociety(society);
const { Category: categories, Depot: depots, Item: items, Loan: loans, Member: members, Repair: repairs, Reservation: reservations, Tag: tags } = society;

const id = (row: { readonly id?: number }): number => row.id as number;
const itemOf = (loan: { readonly itemId: number }) => items.find((i) => i.id === loan.itemId);
const memberOf = (loan: { readonly memberId: number }) => members.find((m) => m.id === loan.memberId);
const cents = (cost: string | undefined): number => Math.round(Number(cost ?? "0") * 100);
const money = (amount: number): string => (amount / 100).toFixed(2);
const groups = <T, K>(rows: readonly T[], key: (row: T) => K): [K, T[]][] => {
  const made = new Map<string, [K, T[]]>();
  for (const row of rows) {
    const name = JSON.stringify(key(row));
    const known = made.get(name);
    if (known === undefined) made.set(name, [key(row), [row]]);
    else known[1].push(row);
  }
  return [...made.values()];
};
const compare = (a: unknown, b: unknown): number => {
  if (a === b) return 0;
  if (a === null) return -1;
  if (b === null) return 1;
  return (a as number) < (b as number) ? -1 : 1;
};
const sorted = <T>(rows: readonly T[], ...by: ((row: T) => unknown)[]): T[] =>
  [...rows].sort((a, b) => by.reduce((sign, of) => sign || compare(of(a), of(b)), 0));
const month = (day: string): number => Number(day.slice(5, 7));
const byItem = groups(
  sorted(loans, (l) => l.itemId),
  (l) => l.itemId,
);
const late = from(Loan).where((l) => l.returned.is(null));
const depotName = (l: (typeof loans)[number]) => depots.find((d) => d.id === itemOf(l)?.depotId)?.name;

const cases: readonly (readonly [what: string, query: Query, rows: readonly unknown[]])[] = [
  [
    "several keys",
    from(Loan)
      .groupBy((l) => ({ item: l.itemId, open: l.returned.is(null) }))
      .select((g) => ({ ...g.key, loans: g.count() })),
    groups(
      sorted(
        loans,
        (l) => l.itemId,
        (l) => l.returned === null,
      ),
      (l) => ({ item: l.itemId, open: l.returned === null }),
    ).map(([key, of]) => ({ ...key, loans: of.length })),
  ],
  [
    "a key over a path",
    from(Loan)
      .groupBy((l) => l.item.depot.name)
      .select((g) => ({ depot: g.key, last: g.max((l) => l.due) })),
    groups(
      sorted(loans, (l) => depotName(l)),
      (l) => depotName(l),
    ).map(([depot, of]) => ({
      depot,
      last: of
        .map((l) => l.due)
        .sort()
        .at(-1),
    })),
  ],
  [
    "groups by an aggregate's order",
    from(Loan)
      .groupBy((l) => l.itemId)
      .orderBy((g) => g.count().desc)
      .limit(3)
      .select((g) => g.key),
    [...byItem]
      .sort((a, b) => b[1].length - a[1].length || b[0] - a[0])
      .slice(0, 3)
      .map(([item]) => item),
  ],
  [
    "sums of decimals in groups",
    from(Repair)
      .groupBy((r) => r.itemId)
      .select((g) => ({ item: g.key, cost: g.sum((r) => r.cost), mean: g.avg((r) => r.cost) })),
    groups(
      sorted(repairs, (r) => r.itemId),
      (r) => r.itemId,
    ).map(([item, of]) => {
      const total = of.reduce((sum, r) => sum + cents(r.cost), 0);
      return { item, cost: money(total), mean: Number(money(total)) / of.length };
    }),
  ],
  [
    "different rows",
    from(Loan)
      .select((l) => ({ item: l.itemId, by: l.memberId }))
      .distinct(),
    groups(
      sorted(
        loans,
        (l) => l.itemId,
        (l) => l.memberId,
      ),
      (l) => ({ item: l.itemId, by: l.memberId }),
    ).map(([key]) => key),
  ],
  [
    "a join over paths of both",
    from(Loan)
      .join(Kit, (l, k) => k.items.where((i) => i.id.is(l.itemId)).exists())
      .select((l, k) => ({ loan: l.id, kit: k.name, category: k.category.name, by: l.borrower.name })),
    loans.flatMap((l) =>
      society.Kit.filter((k) => society.KitItem.some((p) => p.kitId === k.id && p.itemId === l.itemId)).map((k) => ({
        loan: l.id,
        kit: k.name,
        category: categories.find((c) => c.id === k.categoryId)?.name,
        by: memberOf(l)?.name,
      })),
    ),
  ],
  [
    "three sources, ordered and cut",
    from(Depot)
      .join(Item, (d, i) => i.depotId.is(d.id))
      .leftJoin(Loan, (_, i, l) => and(l.itemId.is(i.id), l.returned.is(null)))
      .orderBy((d, i) => [d.name.asc, i.name.desc])
      .limit(12)
      .select((d, i, l) => ({ depot: d.name, item: i.name, due: l.due })),
    [...depots]
      .flatMap((d) =>
        items
          .filter((i) => i.depotId === d.id)
          .flatMap((i) => {
            const open = loans.filter((l) => l.itemId === i.id && l.returned === null);
            return (open.length === 0 ? [null] : open).map((l) => ({ d, i, l }));
          }),
      )
      .sort(
        (a, b) =>
          compare(a.d.name, b.d.name) || compare(b.i.name, a.i.name) || id(b.d) - id(a.d) || id(b.i) - id(a.i) || compare(b.l?.id ?? null, a.l?.id ?? null),
      )
      .slice(0, 12)
      .map(({ d, i, l }) => ({ depot: d.name, item: i.name, due: l?.due ?? null })),
  ],
  [
    "a source of single values",
    from(
      from(Loan)
        .select((l) => l.itemId)
        .distinct(),
    ).where((x) => x.above(10)),
    byItem.map(([item]) => item).filter((item) => item > 10),
  ],
  [
    "nested values of a source",
    from(from(Loan).select((l) => ({ id: l.id, at: { depot: l.item.depot.name, by: l.borrower.name } }))).where((x) => x.at.by.startsWith("A")),
    sorted(
      loans.filter((l) => memberOf(l)?.name.startsWith("A")),
      id,
    ).map((l) => ({ id: l.id, at: { depot: depots.find((d) => d.id === itemOf(l)?.depotId)?.name, by: memberOf(l)?.name } })),
  ],
  [
    "a value object of a source",
    from(from(Reservation).select((r) => ({ code: r.code, handover: r.handover }))).where((x) => x.code.endsWith("1")),
    sorted(
      reservations.filter((r) => r.code.endsWith("1")),
      (r) => r.code,
    ).map((r) => ({ code: r.code, handover: r.handover ?? null })),
  ],
  [
    "the first row of each group",
    from(from(Loan).select((l) => ({ id: l.id, item: l.itemId, position: rowNumber({ by: l.itemId, order: [l.due.desc, l.id.desc] }) })))
      .where((x) => x.position.is(1))
      .select((x) => x.id),
    sorted(
      byItem.map(([, of]) => [...of].sort((a, b) => compare(b.due, a.due) || id(b) - id(a))[0] as (typeof loans)[number]),
      id,
    ).map(id),
  ],
  [
    "names in another order",
    union(
      from(Depot).select((d) => ({ id: d.id, name: d.name })),
      from(Category).select((c) => ({ name: c.name, id: c.id })),
    ),
    sorted(
      [...depots, ...categories].map((x) => ({ id: x.id, name: x.name })),
      (x) => x.id,
      (x) => x.name,
    ),
  ],
  [
    "one of a query's values",
    from(Member).where((m) => m.id.oneOf(late.select((l) => l.memberId))),
    members.filter((m) => loans.some((l) => l.memberId === m.id && l.returned === null)),
  ],
  [
    "none of a query's values, missing ones among them",
    from(Member).where((m) => m.id.notOneOf(from(Member).select((x) => x.sponsorId))),
    members.filter((m) => !members.some((x) => x.sponsorId === m.id)),
  ],
  [
    "a missing value is none of them",
    from(Member).where((m) => m.sponsorId.notOneOf(from(Depot).select((d) => d.id))),
    members.filter((m) => !depots.some((d) => d.id === m.sponsorId)),
  ],
  [
    "one of the groups' keys",
    from(Item).where((i) =>
      i.id.oneOf(
        from(Loan)
          .groupBy((l) => l.itemId)
          .having((g) => g.count().above(3))
          .select((g) => g.key),
      ),
    ),
    items.filter((i) => (byItem.find(([item]) => item === i.id)?.[1].length ?? 0) > 3),
  ],
  [
    "one of a query's values, of a query that looks for what it works out in a list",
    from(Member)
      .where((m) => {
        const few = from(Loan).where((l) => l.due.month().plus(0).oneOf([3, 8]));
        return m.id.oneOf(from(few.select((l) => ({ item: l.itemId }))).select((l) => l.item));
      })
      .limit(1),
    members.filter((m) => loans.some((l) => [3, 8].includes(month(l.due)) && l.itemId === m.id)).slice(0, 1),
  ],
  [
    "a tuple is one of several",
    from(Loan).where((l) =>
      tuple(l.itemId, l.memberId).oneOf([
        [loans[0]?.itemId ?? 0, loans[0]?.memberId ?? 0],
        [loans[3]?.itemId ?? 0, loans[3]?.memberId ?? 0],
        [-1, -1],
      ]),
    ),
    loans.filter((l) => [loans[0], loans[3]].some((x) => x?.itemId === l.itemId && x?.memberId === l.memberId)),
  ],
  [
    "a tuple is none of several",
    from(Tag).where((t) => tuple(t.depotId, t.number).notOneOf([[tags[0]?.depotId ?? 0, tags[0]?.number ?? 0]])),
    sorted(
      tags.slice(1),
      (t) => t.depotId,
      (t) => t.number,
    ),
  ],
  [
    "a tuple with what may be missing",
    from(Member).where((m) => tuple(m.sponsorId, m.blocked).notOneOf([[1, false]])),
    members.filter((m) => !(m.sponsorId === 1 && m.blocked === false)),
  ],
  [
    "a tuple of texts and days",
    from(Loan).where((l) => tuple(l.due, l.borrower.name).oneOf([[loans[5]?.due ?? "", memberOf(loans[5] as (typeof loans)[number])?.name ?? ""]])),
    loans.filter((l) => l.due === loans[5]?.due && memberOf(l)?.name === memberOf(loans[5] as (typeof loans)[number])?.name),
  ],
  [
    "a tuple is one of a query's rows",
    from(Loan).where((l) => tuple(l.itemId, l.memberId).oneOf(from(Reservation).select((r) => ({ item: r.itemId, by: r.memberId })))),
    loans.filter((l) => reservations.some((r) => r.itemId === l.itemId && r.memberId === l.memberId)),
  ],
  [
    "exists, of a query that knows the row",
    from(Member).where((m) => exists(from(Reservation).where((r) => r.memberId.is(m.id)))),
    members.filter((m) => reservations.some((r) => r.memberId === m.id)),
  ],
  [
    "exists not",
    from(Item).where((i) => notExists(from(KitItem).where((p) => p.itemId.is(i.id)))),
    items.filter((i) => !society.KitItem.some((p) => p.itemId === i.id)),
  ],
  [
    "ranks, with gaps and without",
    from(Loan).select((l) => ({ id: l.id, gaps: rank({ order: l.due.month().asc }), none: denseRank({ order: l.due.month().asc }) })),
    loans.map((l) => ({
      id: l.id,
      gaps: loans.filter((x) => month(x.due) < month(l.due)).length + 1,
      none: new Set(loans.map((x) => month(x.due)).filter((m) => m < month(l.due))).size + 1,
    })),
  ],
  [
    "the first and the last of a partition",
    from(Loan).select((l) => ({
      id: l.id,
      first: firstValue(l.id, { by: l.itemId, order: l.id.asc }),
      last: lastValue(l.id, { by: l.itemId, order: l.id.asc }),
    })),
    loans.map((l) => {
      const of = loans.filter((x) => x.itemId === l.itemId).map(id);
      return { id: l.id, first: of[0], last: of.at(-1) };
    }),
  ],
  [
    "a moving sum and average",
    from(Loan).select((l) => ({
      id: l.id,
      sum: sumOver(l.itemId, { order: l.id.asc, before: 2 }),
      mean: avgOver(l.itemId, { order: l.id.asc, before: 1, after: 1 }),
    })),
    loans.map((l, i) => {
      const near = loans.slice(Math.max(0, i - 1), i + 2).map((x) => x.itemId);
      return {
        id: l.id,
        sum: loans.slice(Math.max(0, i - 2), i + 1).reduce((sum, x) => sum + x.itemId, 0),
        mean: near.reduce((a, b) => a + b, 0) / near.length,
      };
    }),
  ],
  [
    "a moving sum of decimals",
    from(Repair).select((r) => sumOver(r.cost, { order: r.id.asc, before: 1 })),
    repairs.map((r, i) => money(cents(r.cost) + cents(repairs[i - 1]?.cost ?? "0"))),
  ],
  [
    "a tree from its roots down",
    recursive(
      "tree",
      from(Category)
        .where((c) => c.parentId.is(null))
        .select((c) => ({ id: c.id, depth: c.id.times(0) })),
      (tree) =>
        from(Category)
          .join(tree, (c, t) => c.parentId.is(t.id))
          .select((c, t) => ({ id: c.id, depth: t.depth.plus(1) })),
    ),
    sorted(
      categories.map((c) => ({ id: c.id, depth: c.parentId === null ? 0 : 1 })),
      (x) => x.id,
    ),
  ],
  [
    "sponsors of sponsors, without end in a circle",
    recursive(
      "line",
      from(Member)
        .where((m) => m.id.is(members.length))
        .select((m) => ({ id: m.id, up: m.sponsorId })),
      (line) =>
        from(Member)
          .join(line, (m, l) => m.id.is(l.up))
          .select((m) => ({ id: m.id, up: m.sponsorId })),
    ),
    (() => {
      const found: { id: number; up: number | null }[] = [];
      for (let at = members.at(-1); at !== undefined && !found.some((x) => x.id === at?.id); at = members.find((m) => m.id === at?.sponsorId))
        found.push({ id: id(at), up: at.sponsorId ?? null });
      return sorted(found, (x) => x.id);
    })(),
  ],
  [
    "a tree, down from its roots, with depth and path",
    from(Category)
      .where((c) => c.parentId.is(null))
      .descend("children")
      .orderBy((_, place) => place.path.asc)
      .select((c, place) => ({ name: c.name, depth: place.depth, path: place.path })),
    [...categories]
      .map((c) => ({ name: c.name, depth: c.parentId === null ? 0 : 1, path: c.parentId === null ? `/${c.id}/` : `/${c.parentId}/${c.id}/` }))
      .sort((a, b) => compare(a.path, b.path)),
  ],
  [
    "everybody that somebody brought in, at whatever remove",
    from(Member)
      .where((m) => m.id.is(1))
      .descend("sponsored")
      .where((_, place) => place.depth.above(0))
      .select((m, place) => ({ id: m.id, depth: place.depth, by: m.sponsor.name })),
    (() => {
      const found: { id: number; depth: number; by: string | undefined }[] = [];
      const visit = (key: number, depth: number): void => {
        for (const m of members.filter((x) => x.sponsorId === key)) {
          found.push({ id: id(m), depth, by: members.find((x) => x.id === key)?.name });
          visit(id(m), depth + 1);
        }
      };
      visit(1, 1);
      return sorted(found, (x) => x.id);
    })(),
  ],
  [
    "a tree, up to its root",
    from(Member)
      .where((m) => m.id.is(members.length))
      .descend("sponsor")
      .orderBy((_, place) => place.depth.desc)
      .select((m) => m.name),
    (() => {
      const names: string[] = [];
      for (let at = members.at(-1); at !== undefined; at = members.find((m) => m.id === at?.sponsorId)) names.unshift(at.name);
      return names;
    })(),
  ],
  [
    "missing values last in ascending order",
    from(Item)
      .orderBy((i) => i.note.asc.nullsLast)
      .select((i) => i.id),
    [...items].sort((a, b) => Number(a.note === null) - Number(b.note === null) || compare(a.note, b.note) || id(a) - id(b)).map(id),
  ],
  [
    "missing values first in descending order, of an expression with a value in it",
    from(Member)
      .orderBy((m) => m.sponsorId.plus(1).desc.nullsFirst)
      .select((m) => m.id),
    [...members]
      .sort((a, b) => Number(a.sponsorId !== null) - Number(b.sponsorId !== null) || compare(b.sponsorId ?? null, a.sponsorId ?? null) || id(b) - id(a))
      .map(id),
  ],
  [
    "a case over groups",
    from(Loan)
      .groupBy((l) => l.itemId)
      .select((g) => when(g.count().above(3), "busy").otherwise("calm")),
    byItem.map(([, of]) => (of.length > 3 ? "busy" : "calm")),
  ],
  [
    "a default in place of nothing joined",
    from(Item)
      .leftJoin(Tag, (i, t) => t.itemId.is(i.id))
      .select((i, t) => coalesce(t.number, i.id.negated())),
    items.map((i) => tags.find((t) => t.itemId === i.id)?.number ?? -id(i)),
  ],
];

test.each(cases)("%s", async (_, query, rows) => {
  expect(rows.length).toBeGreaterThan(0);
  for (const engine of all()) {
    const db = engine.connect();
    expect(await db.list(query), engine.name).toStrictEqual(rows);
    expect(await db.count(query), `count, ${engine.name}`).toBe(rows.length);
    expect(await db.exists(query), `exists, ${engine.name}`).toBe(true);
  }
});

test("a tree that bites its own tail comes to an end", async () => {
  for (const engine of all()) {
    const db = engine.connect();
    await db.update(
      from(Category).where((c) => c.id.is(1)),
      { parentId: 6 },
    );
    const found = await db.list(
      from(Category)
        .where((c) => c.id.is(1))
        .descend("children")
        .select((c, place) => ({ id: c.id, path: place.path })),
    );
    expect(found, engine.name).toEqual([
      { id: 1, path: "/1/" },
      { id: 6, path: "/1/6/" },
    ]);
    await db.update(
      from(Category).where((c) => c.id.is(1)),
      { parentId: null },
    );
  }
  // @ts-expect-error a relation to another entity has no tree
  expect(() => from(Category).descend("kits")).toThrow(expect.objectContaining({ code: "NAME_UNKNOWN" }));
});
