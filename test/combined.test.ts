import { expect, test } from "vitest";
import { and, coalesce, from, type Query, recursive, rowNumber, sumOver, tuple, union } from "../src/index.js";
import { generate, lending } from "../tools/src/demo/index.js";
import { type Expected, expectSame } from "./support/by-hand.js";
import { eachEngine, useSociety } from "./support/engines.js";

const { Category, Depot, Item, Kit, Loan, Member, Repair, Reservation, Tag } = lending;
const society = generate(5, 3, { items: 5, members: 4, loans: 14 });
const all = useSociety(society);
const { Loan: loans, Member: members, Reservation: reservations, Tag: tags } = society;

const memberOf = (loan: { readonly memberId: number }) => members.find((m) => m.id === loan.memberId);

const cases: readonly (readonly [what: string, query: Query, expected: Expected])[] = [
  [
    "a key over a path",
    from(Loan)
      .groupBy((l) => l.item.depot.name)
      .select((g) => ({ depot: g.key, last: g.max((l) => l.due) })),
    "select d.name, max(l.due) from loan l join item i on i.id = l.item_id join depot d on d.id = i.depot_id group by 1 order by 1",
  ],
  [
    "groups by an aggregate's order",
    from(Loan)
      .groupBy((l) => l.itemId)
      .orderBy((g) => g.count().desc)
      .limit(3)
      .select((g) => g.key),
    "select item_id from loan group by 1 order by count(*) desc, 1 desc limit 3",
  ],
  [
    "sums of decimals in groups",
    from(Repair)
      .groupBy((r) => r.itemId)
      .select((g) => ({ item: g.key, cost: g.sum((r) => r.cost), mean: g.avg((r) => r.cost) })),
    "select item_id, printf('%.2f', sum(cost)), printf('%.2f', sum(cost)) / count(*) from repair group by 1 order by 1",
  ],
  [
    "a join over paths of both",
    from(Loan)
      .join(Kit, (l, k) => k.items.where((i) => i.id.is(l.itemId)).exists())
      .select((l, k) => ({ loan: l.id, kit: k.name, category: k.category.name, by: l.borrower.name })),
    "select l.id, k.name kit, c.name, m.name by_whom from loan l join kit_item p on p.item_id = l.item_id join kit k on k.id = p.kit_id join category c on c.id = k.category_id join member m on m.id = l.member_id order by l.id, k.id",
  ],
  [
    "three sources, ordered and cut",
    from(Depot)
      .join(Item, (d, i) => i.depotId.is(d.id))
      .leftJoin(Loan, (_, i, l) => and(l.itemId.is(i.id), l.returned.is(null)))
      .orderBy((d, i) => [d.name.asc, i.name.desc])
      .limit(12)
      .select((d, i, l) => ({ depot: d.name, item: i.name, due: l.due })),
    "select d.name, i.name item, l.due from depot d join item i on i.depot_id = d.id left join loan l on l.item_id = i.id and l.returned is null order by d.name, i.name desc, d.id desc, i.id desc, l.id desc limit 12",
  ],
  [
    "nested values of a source",
    from(from(Loan).select((l) => ({ id: l.id, at: { depot: l.item.depot.name, by: l.borrower.name } }))).where((x) => x.at.by.startsWith("A")),
    "select l.id, d.name, m.name by_whom from loan l join item i on i.id = l.item_id join depot d on d.id = i.depot_id join member m on m.id = l.member_id where m.name like 'A%' order by 1",
  ],
  [
    "a value object of a source",
    from(from(Reservation).select((r) => ({ code: r.code, handover: r.handover }))).where((x) => x.code.endsWith("1")),
    reservations.filter((r) => r.code.endsWith("1")).map((r) => ({ code: r.code, handover: r.handover ?? null })),
  ],
  [
    "the first row of each group",
    from(from(Loan).select((l) => ({ id: l.id, item: l.itemId, position: rowNumber({ by: l.itemId, order: [l.due.desc, l.id.desc] }) })))
      .where((x) => x.position.is(1))
      .select((x) => x.id),
    "select id from (select id, row_number() over (partition by item_id order by due desc, id desc) n from loan) where n = 1 order by id",
  ],
  [
    "names in another order",
    union(
      from(Depot).select((d) => ({ id: d.id, name: d.name })),
      from(Category).select((c) => ({ name: c.name, id: c.id })),
    ),
    "select id, name from depot union select id, name from category order by 1, 2",
  ],
  [
    "none of a query's values, missing ones among them",
    from(Member).where((m) => m.id.notOneOf(from(Member).select((x) => x.sponsorId))),
    "select * from member where id not in (select sponsor_id from member where sponsor_id is not null) order by id",
  ],
  [
    "a missing value is none of them",
    from(Member).where((m) => m.sponsorId.notOneOf(from(Depot).select((d) => d.id))),
    "select * from member where sponsor_id is null or sponsor_id not in (select id from depot) order by id",
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
    "select * from item where id in (select item_id from loan group by 1 having count(*) > 3) order by id",
  ],
  [
    "one of a query's values, of a query that looks for what it works out in a list",
    from(Member)
      .where((m) => {
        const few = from(Loan).where((l) => l.due.month().plus(0).oneOf([3, 8]));
        return m.id.oneOf(from(few.select((l) => ({ item: l.itemId }))).select((l) => l.item));
      })
      .limit(1),
    "select * from member where id in (select item_id from loan where substr(due, 6, 2) in ('03', '08')) order by id limit 1",
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
    "select * from loan where (item_id, member_id) in (select item_id, member_id from loan where id in (1, 4)) order by id",
  ],
  [
    "a tuple is none of several",
    from(Tag).where((t) => tuple(t.depotId, t.number).notOneOf([[tags[0]?.depotId ?? 0, tags[0]?.number ?? 0]])),
    `select * from tag where (depot_id, number) <> (${tags[0]?.depotId}, ${tags[0]?.number}) order by depot_id, number`,
  ],
  [
    "a tuple with what may be missing",
    from(Member).where((m) => tuple(m.sponsorId, m.blocked).notOneOf([[1, false]])),
    "select * from member where not (coalesce(sponsor_id, 0) = 1 and blocked = 0) order by id",
  ],
  [
    "a tuple of texts and days",
    from(Loan).where((l) => tuple(l.due, l.borrower.name).oneOf([[loans[5]?.due ?? "", memberOf(loans[5] as (typeof loans)[number])?.name ?? ""]])),
    "select l.* from loan l join member m on m.id = l.member_id where (l.due, m.name) in (select due, name from loan x join member y on y.id = x.member_id where x.id = 6) order by l.id",
  ],
  [
    "a tuple is one of a query's rows",
    from(Loan).where((l) => tuple(l.itemId, l.memberId).oneOf(from(Reservation).select((r) => ({ item: r.itemId, by: r.memberId })))),
    "select * from loan where (item_id, member_id) in (select item_id, member_id from reservation) order by id",
  ],
  [
    "a moving sum of decimals",
    from(Repair).select((r) => sumOver(r.cost, { order: r.id.asc, before: 1 })),
    "select printf('%.2f', sum(cost) over (order by id rows 1 preceding)) from repair order by id",
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
    "select id, parent_id is not null from category order by 1",
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
    `with recursive line(id, up) as (select id, sponsor_id from member where id = ${members.length} union select m.id, m.sponsor_id from member m join line on m.id = up) select * from line order by 1`,
  ],
  [
    "a tree, down from its roots, with depth and path",
    from(Category)
      .where((c) => c.parentId.is(null))
      .descend("children")
      .orderBy((_, place) => place.path.asc)
      .select((c, place) => ({ name: c.name, depth: place.depth, path: place.path })),
    "select name, parent_id is not null depth, case when parent_id is null then '/' else '/' || parent_id || '/' end || id || '/' path from category order by 3",
  ],
  [
    "everybody that somebody brought in, at whatever remove",
    from(Member)
      .where((m) => m.id.is(1))
      .descend("sponsored")
      .where((_, place) => place.depth.above(0))
      .select((m, place) => ({ id: m.id, depth: place.depth, by: m.sponsor.name })),
    "with recursive under(id, depth, via) as (select id, 1, sponsor_id from member where sponsor_id = 1 union select m.id, depth + 1, m.sponsor_id from member m join under u on m.sponsor_id = u.id) select u.id, depth, s.name from under u join member s on s.id = via order by 1",
  ],
  [
    "a tree, up to its root",
    from(Member)
      .where((m) => m.id.is(members.length))
      .descend("sponsor")
      .orderBy((_, place) => place.depth.desc)
      .select((m) => m.name),
    `with recursive line(name, up, depth) as (select name, sponsor_id, 0 from member where id = ${members.length} union select m.name, m.sponsor_id, depth + 1 from member m join line on m.id = up) select name from line order by depth desc`,
  ],
  [
    "missing values last in ascending order",
    from(Item)
      .orderBy((i) => i.note.asc.nullsLast)
      .select((i) => i.id),
    "select id from item order by note nulls last, id",
  ],
  [
    "missing values first in descending order, of an expression with a value in it",
    from(Member)
      .orderBy((m) => m.sponsorId.plus(1).desc.nullsFirst)
      .select((m) => m.id),
    "select id from member order by sponsor_id desc nulls first, id desc",
  ],
  [
    "a default in place of nothing joined",
    from(Item)
      .leftJoin(Tag, (i, t) => t.itemId.is(i.id))
      .select((i, t) => coalesce(t.number, i.id.negated())),
    "select coalesce(t.number, -i.id) from item i left join tag t on t.item_id = i.id order by i.id",
  ],
];

test.each(cases)("%s", (_, query, expected) => expectSame(all(), query, expected));

eachEngine(all, "a tree that bites its own tail comes to an end", async (db) => {
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
  expect(found).toEqual([
    { id: 1, path: "/1/" },
    { id: 6, path: "/1/6/" },
  ]);
  await db.update(
    from(Category).where((c) => c.id.is(1)),
    { parentId: null },
  );
  // @ts-expect-error a relation to another entity has no tree
  expect(() => from(Category).descend("kits")).toThrow(expect.objectContaining({ code: "NAME_UNKNOWN" }));
});
