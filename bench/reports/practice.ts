import {
  and,
  avgOver,
  coalesce,
  countOver,
  date,
  exists,
  from,
  integer,
  lag,
  literal,
  notExists,
  type ReferenceOf,
  rank,
  recursive,
  rowNumber,
  scalar,
  series,
  sumOver,
  union,
  when,
} from "../../src/index.js";
import { lending } from "../../tools/src/demo/index.js";
import type { Question } from "./question.js";

const { Depot, Item, Loan, Member, Repair } = lending;

const [firstMonth, lastMonth] = ["2025-01-01", "2026-06-01"];
const perItem = from(Loan)
  .groupBy((l) => l.itemId)
  .select((g) => ({ item: g.key, loans: g.count() }));
const perMonth = from(Loan)
  .groupBy((l) => l.due.startOfMonth())
  .select((g) => ({ month: g.key, loans: g.count() }));
const perDay = from(Loan)
  .groupBy((l) => l.due)
  .select((g) => ({ day: g.key, loans: g.count() }));

/** Questions of reporting practice, of the lending society. */
export const practiceQuestions: readonly Question[] = [
  {
    name: "loans of each month, also of those without any",
    query: from(series.months(firstMonth, lastMonth))
      .leftJoin(perMonth, (m, l) => l.month.is(m))
      .select((m, l) => ({ month: m, loans: coalesce(l.loans, 0) })),
    byHand: ({ months, monthOf }) =>
      `select m.month, coalesce(l.loans, 0) from (${months(firstMonth, lastMonth)}) as m left join (select ${monthOf("due")} as month, count(*) as loans from loan group by ${monthOf("due")}) as l on l.month = m.month order by m.month`,
  },
  {
    name: "what repairs cost so far, month by month",
    query: from(
      from(Repair)
        .groupBy((r) => r.begun.toDay().startOfMonth())
        .select((g) => ({ month: g.key, cost: g.sum((r) => r.cost) })),
    ).select((r) => ({ month: r.month, cost: r.cost, soFar: sumOver(r.cost, { order: r.month.asc }) })),
    byHand: ({ monthOf, dayOf, units, decimal }) =>
      `select month, ${decimal("cost", 2)}, ${decimal("sum(cost) over (order by month)", 2)} from (select ${monthOf(dayOf("begun"))} as month, sum(${units("cost")}) as cost from repair group by ${monthOf(dayOf("begun"))}) as monthly order by month`,
  },
  {
    name: "each depot's share of all loans",
    query: from(Loan)
      .groupBy((l) => l.item.depotId)
      .select((g) => ({
        depot: g.key,
        share: g
          .count()
          .times(literal(integer, 100))
          .dividedBy(scalar(from(Loan).totals((all) => all.count())), { scale: 2 }),
      })),
    byHand: ({ quotient }) =>
      `select i.depot_id, ${quotient("100.0 * count(*)", "(select count(*) from loan)", 2)} from loan l join item i on i.id = l.item_id group by i.depot_id order by i.depot_id`,
  },
  {
    name: "the three items of each depot that are borrowed most",
    query: from(
      from(Item)
        .join(perItem, (i, l) => l.item.is(i.id))
        .select((i, l) => ({
          depot: i.depotId,
          item: i.id,
          loans: l.loans,
          place: rank({ by: i.depotId, order: l.loans.desc }),
        })),
    ).where((x) => x.place.atMost(3)),
    byHand: () =>
      "select * from (select i.depot_id, i.id, l.loans, rank() over (partition by i.depot_id order by l.loans desc) as place from item i join (select item_id, count(*) as loans from loan group by item_id) as l on l.item_id = i.id) as ranked where place <= 3 order by depot_id, id",
  },
  {
    name: "how late all but a tenth are brought back, and the latest",
    query: from(Loan)
      .where((l) => l.returned.isNot(null))
      .totals((all) => ({
        nine: all.percentile((l) => l.returned.daysSince(l.due), 0.9),
        longest: all.max((l) => l.returned.daysSince(l.due)),
      })),
    byHand: ({ daysBetween }) =>
      `select min(days), max(days) from (select days, row_number() over (order by days) as place, count(*) over () as loans from (select ${daysBetween("due", "returned")} as days from loan where returned is not null) as kept) as placed where place >= 0.9 * loans`,
  },
  {
    name: "members who never borrowed",
    query: from(Member)
      .where((m) => m.loans.notExists())
      .totals((all) => ({ members: all.count(), first: all.min((m) => m.name) })),
    byHand: () =>
      "select count(*), min(name) from member m where not exists (select 1 from loan l where l.member_id = m.id)",
  },
  {
    name: "what is out, by how long it is overdue",
    query: (() => {
      const late = (l: ReferenceOf<typeof Loan>) => literal(date, "2026-05-01").daysSince(l.due);
      return from(
        from(Loan)
          .where((l) => l.returned.is(null))
          .select((l) => ({
            id: l.id,
            age: when(late(l).atMost(0), "in time")
              .when(late(l).atMost(30), "a month")
              .when(late(l).atMost(90), "three months")
              .otherwise("longer"),
          })),
      )
        .groupBy((l) => l.age)
        .select((g) => ({ age: g.key, loans: g.count() }));
    })(),
    byHand: ({ daysBetween, today }) =>
      `select age, count(*) from (select case when ${daysBetween("due", today)} <= 0 then 'in time' when ${daysBetween("due", today)} <= 30 then 'a month' when ${daysBetween("due", today)} <= 90 then 'three months' else 'longer' end as age from loan where returned is null) as aged group by age order by age`,
  },
  {
    name: "who borrowed one thing several times",
    query: from(Loan)
      .groupBy((l) => ({ member: l.memberId, item: l.itemId }))
      .having((g) => g.count().above(1))
      .orderBy((g) => g.count().desc)
      .limit(20)
      .select((g) => ({ ...g.key, loans: g.count() })),
    byHand: () =>
      "select member_id, item_id, count(*) from loan group by member_id, item_id having count(*) > 1 order by count(*) desc, member_id desc, item_id desc limit 20",
  },
  {
    name: "each member's first and last loan",
    query: from(Loan)
      .groupBy((l) => ({ id: l.memberId, name: l.borrower.name }))
      .select((g) => ({ ...g.key, first: g.min((l) => l.due), last: g.max((l) => l.due), loans: g.count() })),
    byHand: () =>
      "select m.id, m.name, min(l.due), max(l.due), count(*) from loan l join member m on m.id = l.member_id group by m.id, m.name order by m.id, m.name",
  },
  {
    name: "loans by day of the week",
    query: from(Loan)
      .groupBy((l) => l.due.weekday())
      .select((g) => ({ weekday: g.key, loans: g.count() })),
    byHand: ({ weekday }) => `select ${weekday("due")}, count(*) from loan group by ${weekday("due")} order by 1`,
  },
  {
    name: "change of loans from month to month",
    query: from(perMonth).select((m) => ({
      month: m.month,
      loans: m.loans,
      change: m.loans.minus(lag(m.loans, { order: m.month.asc })),
    })),
    byHand: ({ monthOf }) =>
      `select month, loans, loans - lag(loans) over (order by month) from (select ${monthOf("due")} as month, count(*) as loans from loan group by ${monthOf("due")}) as monthly order by month`,
  },
  {
    name: "items that are borrowed more than the average",
    query: from(perItem)
      .where((l) =>
        l.loans.asNumeric(4).above(scalar(from(perItem).totals((all) => all.avg((x) => x.loans, { scale: 4 })))),
      )
      .totals((all) => ({ items: all.count(), loans: all.sum((l) => l.loans) })),
    byHand: () =>
      "select count(*), sum(loans) from (select count(*) as loans from loan group by item_id) as l where loans > (select avg(loans) from (select count(*) as loans from loan group by item_id) as counted)",
  },
  {
    name: "loans of each depot by quarter",
    query: from(Loan)
      .groupBy((l) => l.item.depotId)
      .select((g) => {
        const quarter = (n: number) => g.where((l) => l.due.quarter().is(n)).count();
        return { depot: g.key, q1: quarter(1), q2: quarter(2), q3: quarter(3), q4: quarter(4) };
      }),
    byHand: ({ month }) => {
      const quarter = (n: number) =>
        `sum(case when (${month("l.due")} + 2) ${"/"} 3.0 >= ${n} and (${month("l.due")} + 2) / 3.0 < ${n + 1} then 1 else 0 end)`;
      return `select i.depot_id, ${[1, 2, 3, 4].map(quarter).join(", ")} from loan l join item i on i.id = l.item_id group by i.depot_id order by i.depot_id`;
    },
  },
  {
    name: "loans of depots and districts, and of all",
    query: from(Loan).rollup(
      (l) => ({ district: l.item.depot.districtId, depot: l.item.depotId }),
      (g) => ({ district: g.key.district, depot: g.key.depot, loans: g.count() }),
    ),
    byHand: ({ first }) => {
      const rows = "loan l join item i on i.id = l.item_id join depot d on d.id = i.depot_id";
      return `select * from (select d.district_id as district, i.depot_id as depot, count(*) as loans from ${rows} group by d.district_id, i.depot_id union all select d.district_id, null, count(*) from ${rows} group by d.district_id union all select null, null, count(*) from loan) as levels order by ${first("district")}, ${first("depot")}, loans`;
    },
  },
  {
    name: "who borrowed each item, in a text",
    query: from(Item)
      .where((i) => i.depotId.is(1))
      .select((i) => ({
        id: i.id,
        by: i.loans.joined(
          (l) => l.borrower.name,
          ", ",
          (l) => l.id.asc,
        ),
      })),
    byHand: ({ joined }) =>
      `select i.id, (select ${joined("m.name", ", ", "l.id")} from loan l join member m on m.id = l.member_id where l.item_id = i.id) from item i where i.depot_id = 1 order by i.id`,
  },
  {
    name: "loans of each day, and on average of a week around it",
    query: from(perDay).select((d) => ({
      day: d.day,
      loans: d.loans,
      week: sumOver(d.loans, { order: d.day.asc, before: 6 }),
    })),
    byHand: () =>
      "select due, loans, sum(loans) over (order by due rows between 6 preceding and current row) from (select due, count(*) as loans from loan group by due) as daily order by due",
  },
  {
    name: "repairs that cost more than others of their item",
    query: from(
      from(Repair).select((r) => ({
        id: r.id,
        cost: r.cost,
        among: countOver({ by: r.itemId }),
        mean: avgOver(r.cost.asDouble(), { by: r.itemId }),
      })),
    )
      .where((r) => and(r.among.above(1), r.cost.asDouble().above(r.mean)))
      .select((r) => ({ id: r.id, cost: r.cost })),
    byHand: ({ number }) =>
      `select id, cost from (select id, cost, count(*) over (partition by item_id) as among, avg(${number("cost")}) over (partition by item_id) as mean from repair) as seen where among > 1 and ${number("cost")} > mean order by id`,
  },
  {
    name: "how many members came by so many steps from those whom nobody brought along",
    query: from(
      recursive(
        "brought",
        from(Member)
          .where((m) => m.sponsorId.is(null))
          .select((m) => ({ id: m.id, depth: literal(integer, 0) })),
        (found) =>
          from(Member)
            .join(found, (m, f) => m.sponsorId.is(f.id))
            .select((m, f) => ({ id: m.id, depth: f.depth.plus(1) })),
        { keepEqual: true },
      ),
    )
      .groupBy((m) => m.depth)
      .select((g) => ({ depth: g.key, members: g.count() })),
    byHand: () =>
      "with recursive tree (id, depth) as (select id, 0 from member where sponsor_id is null union all select m.id, tree.depth + 1 from member m join tree on m.sponsor_id = tree.id) select depth, count(*) from tree group by depth order by depth",
  },
  {
    name: "days of a quarter on which nothing was due",
    query: from(series.days("2026-01-01", "2026-03-31"))
      .where((d) => notExists(from(Loan).where((l) => l.due.is(d))))
      .totals((all) => all.count()),
    byHand: ({ days }) =>
      `select count(*) from (${days("2026-01-01", "2026-03-31")}) as d where not exists (select 1 from loan l where l.due = d.day)`,
  },
  {
    name: "members whose last loan is still out",
    query: from(
      from(Loan).select((l) => ({
        member: l.memberId,
        returned: l.returned,
        place: rowNumber({ by: l.memberId, order: [l.due.desc, l.id.desc] }),
      })),
    )
      .where((l) => and(l.place.is(1), l.returned.is(null)))
      .totals((all) => all.count()),
    byHand: () =>
      "select count(*) from (select returned, row_number() over (partition by member_id order by due desc, id desc) as place from loan) as placed where place = 1 and returned is null",
  },
  {
    name: "members by the year of their first loan",
    query: from(
      from(Loan)
        .groupBy((l) => l.memberId)
        .select((g) => ({ member: g.key, year: g.min((l) => l.due).year() })),
    )
      .groupBy((m) => m.year)
      .select((g) => ({ year: g.key, members: g.count() })),
    byHand: ({ year }) =>
      `select year, count(*) from (select ${year("min(due)")} as year from loan group by member_id) as firsts group by year order by year`,
  },
  {
    name: "the items that half of all loans are of",
    query: from(
      from(perItem).select((l) => ({
        item: l.item,
        loans: l.loans,
        soFar: sumOver(l.loans, { order: [l.loans.desc, l.item.asc] }),
        all: sumOver(l.loans, {}),
      })),
    )
      .where((l) => l.soFar.times(2).atMost(l.all))
      .totals((all) => all.count()),
    byHand: () =>
      "select count(*) from (select sum(loans) over (order by loans desc, item_id rows unbounded preceding) as so_far, sum(loans) over () as every from (select item_id, count(*) as loans from loan group by item_id) as counted) as running where 2 * so_far <= every",
  },
  {
    name: "the longest time between two loans of an item",
    query: from(
      from(Loan).select((l) => ({
        item: l.itemId,
        gap: l.due.daysSince(lag(l.due, { by: l.itemId, order: [l.due.asc, l.id.asc] })),
      })),
    )
      .groupBy((l) => l.item)
      .orderBy((g) => [g.max((l) => l.gap).desc, g.key.asc])
      .limit(10)
      .select((g) => ({ item: g.key, gap: g.max((l) => l.gap) })),
    byHand: ({ daysBetween, last }) =>
      `select item_id, max(gap) from (select item_id, ${daysBetween("lag(due) over (partition by item_id order by due, id)", "due")} as gap from loan) as gaps group by item_id order by ${last("max(gap)")}, item_id limit 10`,
  },
  {
    name: "items that were lent and mended in one month",
    query: from(Item)
      .where((i) =>
        exists(
          from(Repair).join(Loan, (r, l) =>
            and(r.itemId.is(i.id), l.itemId.is(i.id), l.due.startOfMonth().is(r.begun.toDay().startOfMonth())),
          ),
        ),
      )
      .totals((all) => all.count()),
    byHand: ({ monthOf, dayOf }) =>
      `select count(*) from item i where exists (select 1 from repair r join loan l on l.item_id = i.id and ${monthOf("l.due")} = ${monthOf(dayOf("r.begun"))} where r.item_id = i.id)`,
  },
  {
    name: "loans and repairs of each item side by side",
    query: from(perItem)
      .fullJoin(
        from(Repair)
          .groupBy((r) => r.itemId)
          .select((g) => ({ item: g.key, repairs: g.count() })),
        (l, r) => l.item.is(r.item),
      )
      .select((l, r) => ({
        item: coalesce(l.item, r.item),
        loans: coalesce(l.loans, 0),
        repairs: coalesce(r.repairs, 0),
      }))
      .orderBy((l, r) => coalesce(l.item, r.item).asc),
    byHand: ({ hasFullJoin }) => {
      const [l, r] = [
        "(select item_id, count(*) as loans from loan group by item_id) as l",
        "(select item_id, count(*) as repairs from repair group by item_id) as r",
      ];
      const full = `select coalesce(l.item_id, r.item_id) as item, coalesce(loans, 0) as loans, coalesce(repairs, 0) as repairs from ${l} full join ${r} on r.item_id = l.item_id order by 1`;
      return hasFullJoin
        ? full
        : `select l.item_id as item, loans, coalesce(repairs, 0) as repairs from ${l} left join ${r} on r.item_id = l.item_id union all select r.item_id, 0, repairs from ${r} left join ${l} on l.item_id = r.item_id where l.item_id is null order by 1`;
    },
  },
  {
    name: "towns of depots and names of members that begin alike",
    query: union(
      from(Depot).select((d) => ({ letter: d.town.substring(1, 1) })),
      from(Member).select((m) => ({ letter: m.name.substring(1, 1) })),
    ).totals((all) => ({ letters: all.count(), all: all.joined((x) => x.letter, "") })),
    byHand: ({ joined }) =>
      `select count(*), ${joined("letter", "", "letter")} from (select substr(town, 1, 1) as letter from depot union select substr(name, 1, 1) from member) as letters`,
  },
];
