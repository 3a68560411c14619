import { expect, test } from "vitest";
import { generate, lending } from "../src/demo/index.js";
import { and, coalesce, from, type Query, when } from "../src/index.js";
import { useSociety } from "./support/engines.js";

const { Depot, District, Item, Kit, Loan, Member, Repair } = lending;
const society = generate(6, 5, { items: 5, members: 4, loans: 16 });
const all = useSociety(society);

type Row = { readonly id?: number };
const loansOf = (item: Row) => society.Loan.filter((l) => l.itemId === item.id);
const itemsOf = (depot: Row) => society.Item.filter((i) => i.depotId === depot.id);
const depotsOf = (district: Row) => society.Depot.filter((d) => d.districtId === district.id);
const repairsOf = (item: Row) => society.Repair.filter((r) => r.itemId === item.id);
const memberOf = (loan: { readonly memberId: number }) => society.Member.find((m) => m.id === loan.memberId);
const cents = (cost: string | undefined) => Math.round(Number(cost ?? "0") * 100);
const money = (amount: number | null) =>
  amount === null ? null : `${amount < 0 ? "-" : ""}${Math.floor(Math.abs(amount) / 100)}.${String(Math.abs(amount) % 100).padStart(2, "0")}`;
const sum = (values: readonly number[]) => (values.length === 0 ? null : values.reduce((a, b) => a + b, 0));
const least = (values: readonly string[]) => [...values].sort()[0] ?? null;
const most = (values: readonly string[]) => [...values].sort().at(-1) ?? null;
const byDue = (a: { due: string } & Row, b: { due: string } & Row) => (a.due < b.due ? -1 : a.due > b.due ? 1 : (a.id ?? 0) - (b.id ?? 0));
const newest = (loans: typeof society.Loan) => [...loans].sort(byDue).reverse();

const cases: readonly (readonly [what: string, query: Query, rows: readonly unknown[]])[] = [
  ["a sum", from(Item).select((i) => i.repairs.sum((r) => r.cost)), society.Item.map((i) => money(sum(repairsOf(i).map((r) => cents(r.cost)))))],
  [
    "a sum, nothing counted as zero",
    from(Item).select((i) =>
      coalesce(
        i.repairs.sum((r) => r.cost),
        "0",
      ),
    ),
    society.Item.map((i) => money(sum(repairsOf(i).map((r) => cents(r.cost))) ?? 0)),
  ],
  [
    "a sum of whole numbers",
    from(Kit).select((k) => k.parts.sum((p) => p.quantity)),
    society.Kit.map((k) => sum(society.KitItem.filter((p) => p.kitId === k.id).map((p) => p.quantity ?? 1))),
  ],
  [
    "an average",
    from(Kit).select((k) => k.parts.avg((p) => p.quantity)),
    society.Kit.map((k) => {
      const quantities = society.KitItem.filter((p) => p.kitId === k.id).map((p) => p.quantity ?? 1);
      return quantities.length === 0 ? null : (sum(quantities) as number) / quantities.length;
    }),
  ],
  [
    "an average of decimals",
    from(Depot).select((d) => d.items.repairs.avg((r) => r.cost)),
    society.Depot.map((d) => {
      const costs = itemsOf(d)
        .flatMap(repairsOf)
        .map((r) => cents(r.cost));
      return costs.length === 0 ? null : Number(money(sum(costs))) / costs.length;
    }),
  ],
  [
    "the least and the greatest",
    from(Item).select((i) => ({ first: i.loans.min((l) => l.due), last: i.loans.max((l) => l.due) })),
    society.Item.map((i) => ({ first: least(loansOf(i).map((l) => l.due)), last: most(loansOf(i).map((l) => l.due)) })),
  ],
  [
    "the greatest decimal",
    from(Depot).select((d) => d.items.repairs.max((r) => r.cost)),
    society.Depot.map((d) => {
      const costs = itemsOf(d)
        .flatMap(repairsOf)
        .map((r) => cents(r.cost));
      return costs.length === 0 ? null : money(Math.max(...costs));
    }),
  ],
  [
    "the greatest of a path to another row",
    from(Item).select((i) => i.loans.max((l) => l.borrower.name)),
    society.Item.map((i) => most(loansOf(i).map((l) => memberOf(l)?.name as string))),
  ],
  [
    "different values",
    from(Item).select((i) => i.loans.countDistinct((l) => l.memberId)),
    society.Item.map((i) => new Set(loansOf(i).map((l) => l.memberId)).size),
  ],
  [
    "different values, the missing one not counted",
    from(Item).select((i) => i.loans.countDistinct((l) => l.returned)),
    society.Item.map((i) => new Set(loansOf(i).flatMap((l) => l.returned ?? [])).size),
  ],
  [
    "a filtered sum",
    from(Item).select((i) => i.repairs.where((r) => r.findings.is(null)).sum((r) => r.cost)),
    society.Item.map((i) =>
      money(
        sum(
          repairsOf(i)
            .filter((r) => r.findings === null)
            .map((r) => cents(r.cost)),
        ),
      ),
    ),
  ],
  [
    "the first, by an order",
    from(Item).select((i) => i.loans.orderBy((l) => l.due.desc).first((l) => l.borrower.name)),
    society.Item.map((i) => newest(loansOf(i)).map((l) => memberOf(l)?.name)[0] ?? null),
  ],
  [
    "the first, by the relation's own order",
    from(Item).select((i) => i.openLoans.first((l) => l.due)),
    society.Item.map((i) => newest(loansOf(i).filter((l) => l.returned === null))[0]?.due ?? null),
  ],
  [
    "the second",
    from(Item).select((i) =>
      i.loans
        .orderBy((l) => l.due.asc)
        .offset(1)
        .first((l) => l.id),
    ),
    society.Item.map((i) => [...loansOf(i)].sort(byDue)[1]?.id ?? null),
  ],
  [
    "the first of a set over two steps",
    from(Depot).select((d) => d.items.loans.orderBy((l) => [l.due.asc]).first((l) => l.id)),
    society.Depot.map((d) => itemsOf(d).flatMap(loansOf).sort(byDue)[0]?.id ?? null),
  ],
  ["a count of the first few", from(Item).select((i) => i.loans.limit(2).count()), society.Item.map((i) => Math.min(2, loansOf(i).length))],

  ["whether there is a third", from(Item).select((i) => i.loans.offset(2).exists()), society.Item.map((i) => loansOf(i).length > 2)],
  ["all", from(Item).where((i) => i.loans.all((l) => l.returned.isNot(null))), society.Item.filter((i) => loansOf(i).every((l) => l.returned !== null))],
  [
    "all, of those that a condition leaves",
    from(Item).where((i) => i.loans.where((l) => l.due.above("2026-06-01")).all((l) => l.borrower.blocked)),
    society.Item.filter((i) =>
      loansOf(i)
        .filter((l) => l.due > "2026-06-01")
        .every((l) => memberOf(l)?.blocked),
    ),
  ],
  [
    "two conditions in one exists mean one row",
    from(Item).where((i) => i.loans.where((l) => and(l.returned.is(null), l.due.below("2026-05-01"))).exists()),
    society.Item.filter((i) => loansOf(i).some((l) => l.returned === null && l.due < "2026-05-01")),
  ],
  [
    "in two they mean any two rows",
    from(Item).where((i) => and(i.loans.where((l) => l.returned.is(null)).exists(), i.loans.where((l) => l.due.below("2026-05-01")).exists())),
    society.Item.filter((i) => loansOf(i).some((l) => l.returned === null) && loansOf(i).some((l) => l.due < "2026-05-01")),
  ],
  [
    "where by an aggregate",
    from(Item).where((i) => i.loans.max((l) => l.due).above("2026-09-01")),
    society.Item.filter((i) => (most(loansOf(i).map((l) => l.due)) ?? "") > "2026-09-01"),
  ],
  [
    "where by a sum of decimals",
    from(Item).where((i) => i.repairs.sum((r) => r.cost).above("30")),
    society.Item.filter((i) => (sum(repairsOf(i).map((r) => cents(r.cost))) ?? 0) > 3000),
  ],
  [
    "order by a count",
    from(Item)
      .orderBy((i) => i.loans.count().desc)
      .select((i) => i.id),
    [...society.Item].sort((a, b) => loansOf(b).length - loansOf(a).length || (b.id ?? 0) - (a.id ?? 0)).map((i) => i.id),
  ],
  [
    "a set that depends on the owner's row",
    from(Loan).select((l) => l.item.loans.where((x) => x.due.above(l.due)).count()),
    society.Loan.map((l) => society.Loan.filter((x) => x.itemId === l.itemId && x.due > l.due).length),
  ],
  [
    "a case of aggregates",
    from(Item).select((i) => when(i.loans.count().above(2), "busy").otherwise("idle")),
    society.Item.map((i) => (loansOf(i).length > 2 ? "busy" : "idle")),
  ],
  [
    "a sum inside of an average",
    from(District).select((d) => d.depots.max((x) => x.items.count())),
    society.District.map((d) => Math.max(...depotsOf(d).map((x) => itemsOf(x).length))),
  ],
  [
    "rows of a set in a projection",
    from(Item).select((i) => ({ name: i.name, loans: i.loans.select((l) => ({ due: l.due, by: l.borrower.name })) })),
    society.Item.map((i) => ({ name: i.name, loans: loansOf(i).map((l) => ({ due: l.due, by: memberOf(l)?.name })) })),
  ],
  [
    "ordered and cut for each owner",
    from(Item).select((i) => ({
      id: i.id,
      last: i.loans
        .orderBy((l) => l.due.desc)
        .limit(2)
        .select((l) => l.due),
    })),
    society.Item.map((i) => ({
      id: i.id,
      last: newest(loansOf(i))
        .slice(0, 2)
        .map((l) => l.due),
    })),
  ],
  [
    "rows over two steps, narrowed at each",
    from(Depot).select((d) => ({
      late: d.items
        .where((i) => i.note.is(null))
        .loans.where((l) => l.returned.is(null))
        .select((l) => l.id),
    })),
    society.Depot.map((d) => ({
      late: itemsOf(d)
        .filter((i) => i.note === null)
        .flatMap(loansOf)
        .filter((l) => l.returned === null)
        .map((l) => l.id)
        .sort((a, b) => (a ?? 0) - (b ?? 0)),
    })),
  ],
  [
    "rows up again, each once, from narrowed ones",
    from(Item).select((i) => ({ by: i.loans.where((l) => l.returned.is(null)).borrower.select((m) => m.id) })),
    society.Item.map((i) => ({
      by: [
        ...new Set(
          loansOf(i)
            .filter((l) => l.returned === null)
            .map((l) => l.memberId),
        ),
      ].sort((a, b) => a - b),
    })),
  ],
  [
    "rows within rows",
    from(District).select((d) => ({ depots: d.depots.select((x) => ({ name: x.name, items: x.items.limit(2).select((i) => i.name) })) })),
    society.District.map((d) => ({
      depots: depotsOf(d).map((x) => ({
        name: x.name,
        items: itemsOf(x)
          .slice(0, 2)
          .map((i) => i.name),
      })),
    })),
  ],
  [
    "rows of a to-one relation's set",
    from(Loan)
      .limit(5)
      .select((l) => ({
        id: l.id,
        others: l.item.loans.where((x) => x.id.isNot(l.item.id)).count(),
        at: { depot: l.item.depot.name, items: l.item.depot.items.limit(1).select((i) => i.id) },
      })),
    society.Loan.slice(0, 5).map((l) => {
      const depot = society.Depot.find((d) => d.id === society.Item.find((i) => i.id === l.itemId)?.depotId);
      return {
        id: l.id,
        others: society.Loan.filter((x) => x.itemId === l.itemId && x.id !== l.itemId).length,
        at: {
          depot: depot?.name,
          items: itemsOf(depot as Row)
            .slice(0, 1)
            .map((i) => i.id),
        },
      };
    }),
  ],
  [
    "rows of a row that may be missing",
    from(Repair).select((r) => ({ id: r.id, lent: r.volunteer.loans.limit(1).select((l) => l.id) })),
    society.Repair.map((r) => ({
      id: r.id,
      lent: society.Loan.filter((l) => l.memberId === r.volunteerId && society.Member.some((m) => m.id === l.memberId))
        .slice(0, 1)
        .map((l) => l.id),
    })),
  ],
  [
    "rows in a reached projection",
    from(Member)
      .limit(3)
      .reach({ loans: (l) => l.select((x) => ({ item: x.item.name, repairs: x.item.repairs.select((r) => r.cost) })) }),
    society.Member.slice(0, 3).map((m) => ({
      ...m,
      loans: society.Loan.filter((l) => l.memberId === m.id).map((l) => ({
        item: society.Item.find((i) => i.id === l.itemId)?.name,
        repairs: repairsOf({ id: l.itemId }).map((r) => money(cents(r.cost))),
      })),
    })),
  ],
];

test.each(cases)("%s", async (_, query, rows) => {
  expect(rows.length).toBeGreaterThan(0);
  for (const engine of all()) {
    expect(await engine.connect().list(query), engine.name).toStrictEqual(rows);
    expect(await engine.connect({ how: "join" }).list(query), `by join, ${engine.name}`).toStrictEqual(rows);
    expect(await engine.connect().count(query), `count, ${engine.name}`).toBe(rows.length);
  }
});

test("a greatest of the first few, which MariaDB cannot work out", async () => {
  const query = from(Item).select((i) =>
    i.loans
      .orderBy((l) => l.id.asc)
      .limit(2)
      .max((l) => l.due),
  );
  for (const engine of all()) {
    const found = engine.connect().list(query);
    if (engine.name === "mariadb") await expect(found).rejects.toMatchObject({ code: "ENGINE_UNABLE" });
    else
      expect(await found, engine.name).toEqual(
        society.Item.map((i) =>
          most(
            loansOf(i)
              .slice(0, 2)
              .map((l) => l.due),
          ),
        ),
      );
  }
});

test("what leads on from a set that was cut is an error", () => {
  // @ts-expect-error there is nothing behind a set that was cut
  expect(() => from(Depot).select((d) => d.items.limit(1).loans.count())).toThrow(expect.objectContaining({ code: "SET_CUT" }));
});
