import {
  and,
  coalesce,
  except,
  exists,
  from,
  greatest,
  integer,
  lag,
  least,
  list,
  literal,
  named,
  not,
  notExists,
  nullIf,
  or,
  type Query,
  recursive,
  rowNumber,
  sumOver,
  template,
  tuple,
  union,
  when,
} from "../../src/index.js";
import { lending } from "../../tools/src/demo/index.js";

const { Category, Depot, District, Item, Kit, KitItem, Loan, Member, Repair, Reservation, Tag } = lending;

const open = from(Loan).where((l) => l.returned.is(null));

/** The one query of which the whole text stands there, where an engine gives many rows as one JSON value. */
export const whole = "many rows";

/** Queries whose texts stand in test/sql, one file a dialect, to be read. */
export const queries: Readonly<Record<string, Query>> = {
  [whole]: from(Repair).where((r) => r.cost.above("20")),
  "open loans, latest first": open.orderBy((l) => l.due.desc).limit(10),
  "and, or, not": from(Loan).where((l) => and(or(l.due.below("2026-03-01"), l.memberId.oneOf([1, 2])), not(l.returned.isNot(null)))),
  "a path used three times joins once": from(Loan)
    .where((l) => l.item.depot.name.is("Elm Yard"))
    .orderBy((l) => l.item.depot.name.asc)
    .select((l) => l.item.depot.town),
  "unequal keeps what is missing": from(Member).where((m) => m.sponsor.name.isNot("Ada Levi")),
  "a path that a condition needs is no left join": from(Member)
    .where((m) => and(m.sponsor.sponsor.name.is("Ada Levi"), m.sponsor.blocked.is(true)))
    .select((m) => m.sponsor.name),
  "a tree": from(Category)
    .where((c) => c.parentId.is(null))
    .descend("children")
    .select((c, place) => ({ name: c.name, path: place.path })),
  "parts of documents": from(Repair).where((r) => r.findings.textAt("parts", 0).is("belt")),
  "counts of sets": from(Depot).select((d) => ({ items: d.items.count(), borrowers: d.items.loans.borrower.count() })),
  "sets inside sets": from(Member).where((m) => m.sponsored.where((s) => s.loans.where((l) => l.returned.is(null)).exists()).exists()),
  "to-one relations, joined": from(Loan).reach({ item: { depot: true }, borrower: { sponsor: true } }),
  "to-one relations, by batch": from(Loan).how("batch").reach({ item: true }),
  "to-many relations, by batch, narrowed": from(Item).reach({
    loans: (l) =>
      l
        .where((x) => x.returned.is(null))
        .orderBy((x) => x.due.asc)
        .reach({ borrower: true }),
  }),
  "to-many relations, by batch, limited": from(Item).reach({ loans: (l) => l.orderBy((x) => x.due.desc).limit(3) }),
  "to-many relations, joined": from(Depot)
    .how("join")
    .reach({ items: { loans: true } }),
  "to-many relations, joined, the root limited": from(Depot)
    .orderBy((d) => [d.district.name.asc, d.name.desc])
    .limit(5)
    .offset(10)
    .how("join")
    .reach({ items: true, district: true }),
  "to-many relations, nested": from(Depot)
    .how("nest")
    .reach({ items: { loans: (l) => l.where((x) => x.returned.is(null)).reach({ borrower: true }) }, district: true }),
  "to-many relations, nested, limited": from(Item)
    .how("nest")
    .reach({ loans: (l) => l.orderBy((x) => x.due.desc).limit(3) }),
  "a way down and up again, nested": from(District).how("nest").reach({ borrowers: true }),
  "many kinds, nested": from(Item).how("nest").reach({ repairs: true }),
  "a list in a projection, nested": from(Item)
    .how("nest")
    .select((i) => ({ name: i.name, late: i.loans.where((l) => l.returned.is(null)).select((l) => l.borrower.name) })),
  "a way up, joined": from(Loan).reach({ district: true }),
  "a way up, by batch": from(Loan).how("batch").reach({ district: true }),
  "a way down, by batch": from(District).reach({ loans: true }),
  "a way down and up again, by batch": from(District).reach({ borrowers: true }),
  "a way down and up again, by batch, limited": from(District).reach({ borrowers: (b) => b.limit(2) }),
  "a way down and up again, joined": from(District).how("join").reach({ borrowers: true }),
  "many to many, by batch": from(Kit).reach({ items: true }),
  "a way as a set": from(District).select((d) => ({ loans: d.loans.count(), borrowers: d.borrowers.count() })),
  "conditions and order of its own": from(Item).reach({ openLoans: true, manual: true }),
  "to-many relations, joined, narrowed": from(Depot)
    .how("join")
    .reach({ items: (i) => i.where((x) => x.note.isNot(null)), district: true }),
  "to-many relations, joined, with conditions that leave the row": from(Item)
    .how("join")
    .reach({ loans: (l) => l.where((x) => x.borrower.blocked).limit(2) }),
  "matches of texts": from(Item).where((i) => or(i.name.startsWith("Dr"), i.name.contains("50%"), i.name.endsWith("l"), i.note.like("_a%"))),
  "matches of another column": from(Item).where((i) => i.name.contains(i.note)),
  "in any case": from(Member).where((m) => m.name.ignoringCase().is("ada levi")),
  "not a match": from(Item).where((i) => not(or(i.note.contains("case"), i.name.startsWith("Old")))),
  "arithmetic of whole numbers": from(Loan).select((l) => l.itemId.plus(1).times(2).dividedBy(l.memberId)),
  "arithmetic of decimals": from(Repair)
    .where((r) => r.cost.times("1.19").rounded(2).above("20"))
    .select((r) => r.cost.plus("0.5")),
  "texts put together": from(Member).select((m) => m.name.upper().concat(" <", m.sponsor.name.trim(), ">").length()),
  days: from(Loan)
    .where((l) => l.due.plusDays(7).below("2026-06-01"))
    .select((l) => ({ year: l.due.year(), weekday: l.due.weekday(), late: l.returned.daysSince(l.due), month: l.due.startOfMonth() })),
  instants: from(Repair).select((r) => ({ day: r.begun.toDay(), hour: r.begun.hour() })),
  "cases and defaults": from(Item).select((i) => ({ note: coalesce(i.note, "none"), size: when(i.loans.count().above(2), "busy").otherwise("calm") })),
  "least, greatest, missing where equal": from(Loan).select((l) => ({
    a: least(l.itemId, l.memberId),
    b: greatest(l.due, l.returned),
    c: nullIf(l.itemId, 3),
  })),
  "aggregates of sets": from(Item).select((i) => ({
    cost: i.repairs.sum((r) => r.cost),
    mean: i.repairs.avg((r) => r.cost),
    people: i.loans.countDistinct((l) => l.memberId),
  })),
  "the first of a set": from(Item).select((i) => i.loans.orderBy((l) => l.due.desc).first((l) => l.borrower.name)),
  "a set that is cut": from(Item).select((i) => i.loans.limit(2).count()),
  "all of a set": from(Item).where((i) => i.loans.all((l) => l.returned.isNot(null))),
  "a list in a projection": from(Item).select((i) => ({ name: i.name, late: i.loans.where((l) => l.returned.is(null)).select((l) => l.borrower.name) })),
  "a list over two steps, cut for each owner": from(Depot).select((d) => ({
    late: d.items
      .where((i) => i.note.is(null))
      .loans.orderBy((l) => l.due.asc)
      .limit(3)
      .select((l) => l.due),
  })),
  groups: from(Loan)
    .where((l) => l.returned.is(null))
    .groupBy((l) => l.borrower.name)
    .having((g) => g.count().above(1))
    .orderBy((g) => g.count().desc)
    .select((g) => ({ name: g.key, loans: g.count(), last: g.max((l) => l.due) })),
  "groups by several keys, filtered parts": from(Loan)
    .groupBy((l) => ({ item: l.itemId, month: l.due.month() }))
    .select((g) => ({ ...g.key, open: g.where((l) => l.returned.is(null)).count() })),
  "a key with a value in it": from(Loan)
    .groupBy((l) => l.due.month().plus(1))
    .select((g) => ({ month: g.key, loans: g.count() })),
  "different rows": from(Loan)
    .select((l) => ({ item: l.itemId, by: l.borrower.name }))
    .distinct(),
  "joins of any entities": from(Loan)
    .join(Reservation, (l, r) => and(r.itemId.is(l.itemId), r.begins.above(l.due)))
    .select((l, r) => ({ due: l.due, code: r.code })),
  "a left join over a path": from(Depot)
    .leftJoin(Reservation, (d, r) => r.item.depotId.is(d.id))
    .select((d, r) => ({ depot: d.name, code: r.code, item: r.item.name })),
  "every pair": from(Depot)
    .crossJoin(Kit)
    .select((d, k) => ({ depot: d.name, kit: k.name })),
  "a join with groups": from(Item)
    .join(
      from(Loan)
        .groupBy((l) => l.itemId)
        .select((g) => ({ item: g.key, last: g.max((l) => l.due) })),
      (i, g) => g.item.is(i.id),
    )
    .select((i, g) => ({ name: i.name, last: g.last })),
  "the first row of each group": from(from(Loan).select((l) => ({ id: l.id, position: rowNumber({ by: l.itemId, order: l.due.desc }) })))
    .where((x) => x.position.is(1))
    .select((x) => x.id),
  "running and moving": from(Repair).select((r) => ({
    total: sumOver(r.cost, { order: r.id.asc }),
    near: sumOver(r.itemId, { by: r.itemId, order: r.begun.asc, before: 1, after: 1 }),
    before: lag(r.begun, { order: r.id.asc }),
  })),
  "a union": union(
    from(Depot).select((d) => ({ name: d.name })),
    from(Item)
      .where((i) => i.note.is(null))
      .select((i) => ({ name: i.name })),
  ),
  "what is in one only, of cut queries": except(
    from(Member)
      .orderBy((m) => m.name.asc)
      .limit(9)
      .select((m) => m.id),
    from(Loan).select((l) => l.memberId),
  ),
  "a query named and used twice": (() => {
    const busy = named(
      "busy",
      from(Loan)
        .groupBy((l) => l.itemId)
        .select((g) => ({ item: g.key, loans: g.count() })),
    );
    return from(busy)
      .join(busy, (a, b) => and(a.loans.is(b.loans), a.item.below(b.item)))
      .select((a, b) => ({ a: a.item, b: b.item }));
  })(),
  "a recursive query": recursive(
    "tree",
    from(Category)
      .where((c) => c.parentId.is(null))
      .select((c) => ({ id: c.id, depth: literal(integer, 0) })),
    (t) =>
      from(Category)
        .join(t, (c, p) => c.parentId.is(p.id))
        .select((c, p) => ({ id: c.id, depth: p.depth.plus(1) })),
  ),
  "one of a query's values": from(Member).where((m) => m.id.oneOf(open.select((l) => l.memberId))),
  "none of a query's values that may be missing": from(Member).where((m) => m.id.notOneOf(from(Member).select((x) => x.sponsorId))),
  tuples: from(Tag).where((t) =>
    tuple(t.depotId, t.number).oneOf([
      [1, 2],
      [3, 4],
    ]),
  ),
  "exists and exists not": from(Item).where((i) =>
    and(exists(from(Reservation).where((r) => r.itemId.is(i.id))), notExists(from(KitItem).where((k) => k.itemId.is(i.id)))),
  ),
  "value objects": from(Reservation)
    .where((r) => r.handover.place.startsWith("C"))
    .orderBy((r) => r.handover.at.asc)
    .select((r) => r.handover),
  "a template": template({ by: integer, items: list(integer) }, (p) => open.where((l) => and(l.memberId.is(p.by), l.itemId.oneOf(p.items)))).with({
    by: 7,
    items: [1, 2],
  }),
};
