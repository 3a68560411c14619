import { expect, test } from "vitest";
import { coalesce, from, type Query, when } from "../src/index.js";
import { generate, lending } from "../tools/src/demo/index.js";
import { type Expected, expectSame } from "./support/by-hand.js";
import { eachEngine, useSociety } from "./support/engines.js";

const { Depot, District, Item, Kit, Loan, Member, Repair } = lending;
const society = generate(6, 5, { items: 5, members: 4, loans: 16 });
const all = useSociety(society);

type Row = { readonly id?: number };
const loansOf = (item: Row) => society.Loan.filter((l) => l.itemId === item.id);
const itemsOf = (depot: Row) => society.Item.filter((i) => i.depotId === depot.id);
const repairsOf = (item: Row) => society.Repair.filter((r) => r.itemId === item.id);
const money = (cost: string | undefined) => Number(cost ?? "0").toFixed(2);
const most = (values: readonly string[]) => [...values].sort().at(-1) ?? null;
const byDue = (a: { due: string } & Row, b: { due: string } & Row) => (a.due < b.due ? -1 : a.due > b.due ? 1 : (a.id ?? 0) - (b.id ?? 0));
const newest = (loans: typeof society.Loan) => [...loans].sort(byDue).reverse();

const cases: readonly (readonly [what: string, query: Query, expected: Expected])[] = [
  [
    "a sum, nothing counted as zero",
    from(Item).select((i) =>
      coalesce(
        i.repairs.sum((r) => r.cost),
        "0",
      ),
    ),
    "select (select printf('%.2f', sum(cost)) from repair where item_id = i.id) from item i order by id",
  ],
  [
    "an average",
    from(Kit).select((k) => k.parts.avg((p) => p.quantity)),
    "select (select avg(quantity) from kit_item where kit_id = k.id) from kit k order by id",
  ],
  [
    "an average of decimals",
    from(Depot).select((d) => d.items.repairs.avg((r) => r.cost)),
    "select (select printf('%.2f', sum(cost)) / nullif(count(*), 0) from repair join item i on i.id = item_id where depot_id = d.id) from depot d order by id",
  ],
  [
    "the least and the greatest",
    from(Item).select((i) => ({ first: i.loans.min((l) => l.due), last: i.loans.max((l) => l.due) })),
    "select (select min(due) from loan where item_id = i.id) a, (select max(due) from loan where item_id = i.id) z from item i order by id",
  ],
  [
    "the greatest decimal",
    from(Depot).select((d) => d.items.repairs.max((r) => r.cost)),
    "select (select case when count(*) > 0 then printf('%.2f', max(cast(cost as real))) end from repair join item i on i.id = item_id where depot_id = d.id) from depot d order by id",
  ],
  [
    "the greatest of a path to another row",
    from(Item).select((i) => i.loans.max((l) => l.borrower.name)),
    "select (select max(m.name) from loan l join member m on m.id = l.member_id where l.item_id = i.id) from item i order by id",
  ],
  [
    "different values",
    from(Item).select((i) => i.loans.countDistinct((l) => l.memberId)),
    "select (select count(distinct member_id) from loan where item_id = i.id) from item i order by id",
  ],
  [
    "different values, the missing one not counted",
    from(Item).select((i) => i.loans.countDistinct((l) => l.returned)),
    "select (select count(distinct returned) from loan where item_id = i.id) from item i order by id",
  ],
  [
    "the first, by the relation's own order",
    from(Item).select((i) => i.openLoans.first((l) => l.due)),
    "select (select due from loan where item_id = i.id and returned is null order by due desc limit 1) from item i order by id",
  ],
  [
    "the second",
    from(Item).select((i) =>
      i.loans
        .orderBy((l) => l.due.asc)
        .offset(1)
        .first((l) => l.id),
    ),
    "select (select id from loan where item_id = i.id order by due, id limit 1 offset 1) from item i order by id",
  ],
  [
    "the first of a set over two steps",
    from(Depot).select((d) => d.items.loans.orderBy((l) => [l.due.asc]).first((l) => l.id)),
    "select (select l.id from loan l join item i on i.id = l.item_id where i.depot_id = d.id order by due, l.id limit 1) from depot d order by id",
  ],
  [
    "a count of the first few",
    from(Item).select((i) => i.loans.limit(2).count()),
    "select (select min(2, count(*)) from loan where item_id = i.id) from item i order by id",
  ],
  [
    "whether there is a third",
    from(Item).select((i) => i.loans.offset(2).exists()),
    "select (select count(*) > 2 from loan where item_id = i.id) from item i order by id",
  ],
  [
    "all, of those that a condition leaves",
    from(Item).where((i) => i.loans.where((l) => l.due.above("2026-06-01")).all((l) => l.borrower.blocked)),
    "select * from item where id not in (select item_id from loan l join member m on m.id = l.member_id where due > '2026-06-01' and not blocked) order by id",
  ],
  [
    "where by an aggregate",
    from(Item).where((i) => i.loans.max((l) => l.due).above("2026-09-01")),
    "select * from item where id in (select item_id from loan where due > '2026-09-01') order by id",
  ],
  [
    "where by a sum of decimals",
    from(Item).where((i) => i.repairs.sum((r) => r.cost).above("30")),
    "select * from item where id in (select item_id from repair group by 1 having sum(cost) > 30) order by id",
  ],
  [
    "order by a count",
    from(Item)
      .orderBy((i) => i.loans.count().desc)
      .select((i) => i.id),
    "select id from item i order by (select count(*) from loan where item_id = i.id) desc, id desc",
  ],
  [
    "a set that depends on the owner's row",
    from(Loan).select((l) => l.item.loans.where((x) => x.due.above(l.due)).count()),
    "select (select count(*) from loan x where x.item_id = l.item_id and x.due > l.due) from loan l order by id",
  ],
  [
    "a case of aggregates",
    from(Item).select((i) => when(i.loans.count().above(2), "busy").otherwise("idle")),
    "select case when (select count(*) from loan where item_id = i.id) > 2 then 'busy' else 'idle' end from item i order by id",
  ],
  [
    "a sum inside of an average",
    from(District).select((d) => d.depots.max((x) => x.items.count())),
    "select max(items) from (select d.id, d.district_id, (select count(*) from item where depot_id = d.id) items from depot d) group by district_id order by district_id",
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
        repairs: repairsOf({ id: l.itemId }).map((r) => money(r.cost)),
      })),
    })),
  ],
];

test.each(cases)("%s", (_, query, expected) => expectSame(all(), query, expected));

eachEngine(all, "a greatest of the first few, which MariaDB cannot work out", async (_, engine) => {
  const query = from(Item).select((i) =>
    i.loans
      .orderBy((l) => l.id.asc)
      .limit(2)
      .max((l) => l.due),
  );
  const found = engine.connect().list(query);
  if (engine.name === "mariadb") await expect(found).rejects.toMatchObject({ code: "ENGINE_UNABLE" });
  else
    expect(await found).toEqual(
      society.Item.map((i) =>
        most(
          loansOf(i)
            .slice(0, 2)
            .map((l) => l.due),
        ),
      ),
    );
});

test("what leads on from a set that was cut is an error", () => {
  // @ts-expect-error there is nothing behind a set that was cut
  expect(() => from(Depot).select((d) => d.items.limit(1).loans.count())).toThrow(expect.objectContaining({ code: "SET_CUT" }));
});
