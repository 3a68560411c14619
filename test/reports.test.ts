import fc from "fast-check";
import { expect, expectTypeOf, onTestFinished, test, vi } from "vitest";
import { addDecimals, atScale, decimalText, divideDecimals, parseDecimal } from "../src/columns/index.js";
import { postgres } from "../src/drivers/postgres.js";
import {
  and,
  coalesce,
  countOver,
  database,
  date,
  entity,
  from,
  identity,
  integer,
  literal,
  maxOver,
  minOver,
  model,
  ntile,
  numeric,
  or,
  percentRank,
  type Query,
  type RowOf,
  recursive,
  rowNumber,
  scalar,
  series,
  sql,
  sumOver,
  template,
  text,
  union,
} from "../src/index.js";
import { generate, lending } from "../tools/src/demo/index.js";
import { type Expected, expectSame } from "./support/by-hand.js";
import { type Engine, eachEngine, useSociety } from "./support/engines.js";

const { Depot, Item, Kit, KitItem, Loan, Member, Repair } = lending;
const society = generate(4, 5, { items: 6, members: 5, loans: 17 });
const all = useSociety(society);
const { Loan: loans, Repair: repairs, Item: items } = society;

const costs = repairs.map(({ cost }) => String(cost)).sort((a, b) => Number(a) - Number(b));
const mean = (values: readonly string[], scale: number) => {
  const sum = values.map(parseDecimal).reduce(addDecimals);
  return decimalText(divideDecimals(sum, { units: BigInt(values.length), scale: 0 }, scale) as typeof sum);
};
const ids = [...new Set(repairs.map(({ itemId }) => itemId))].sort((a, b) => a - b);
const ofItem = (id: number) =>
  repairs
    .filter(({ itemId }) => itemId === id)
    .map(({ cost }) => String(cost))
    .sort((a, b) => Number(a) - Number(b));
const middle = (values: readonly string[]) => (Number(values[(values.length - 1) >> 1]) + Number(values[values.length >> 1])) / 2;

/** Texts, and what they say. */
const parsed: readonly (readonly [text: string, whole: number | null, exact: string | null, day: string | null])[] = [
  ["12", 12, "12.00", null],
  ["-0012", -12, "-12.00", null],
  ["+7.256", null, "7.26", null],
  ["2147483648", null, null, null],
  ["999.994", null, "999.99", null],
  ["1000", 1000, null, null],
  [".5", null, "0.50", null],
  [".", null, null, null],
  ["2026-02-29", null, null, null],
  ["2024-02-29", null, null, "2024-02-29"],
  ["2026-1-1", null, null, null],
  ["0000-01-01", null, null, null],
  [" 1", null, null, null],
];

const cases: readonly (readonly [what: string, query: Query, expected: Expected])[] = [
  [
    "totals of all rows",
    from(Loan).totals((rows) => ({
      loans: rows.count(),
      back: rows.count((l) => l.returned),
      last: rows.max((l) => l.due),
      items: rows.countDistinct((l) => l.itemId),
    })),
    "select count(*), count(returned), max(due), count(distinct item_id) from loan",
  ],
  [
    "totals of no rows",
    from(Repair)
      .where((r) => r.id.is(-1))
      .totals((rows) => ({
        n: rows.count(),
        sum: rows.sum((r) => r.cost),
        exact: rows.avg((r) => r.cost, { scale: 3 }),
        names: rows.joined((r) => r.item.name, ", "),
        list: rows.values((r) => r.id),
      })),
    [{ n: 0, sum: null, exact: null, names: null, list: [] }],
  ],
  [
    "totals of a join, a part of them, and one value",
    from(Item)
      .leftJoin(Loan, (i, l) => l.itemId.is(i.id))
      .totals((rows) => rows.where((_, l) => l.returned.is(null)).count((_, l) => l.id)),
    "select count(*) from loan where returned is null",
  ],
  [
    "exact averages of decimals and whole numbers",
    from(Repair)
      .groupBy((r) => r.itemId)
      .select((g) => ({ item: g.key, exact: g.avg((r) => r.cost, { scale: 4 }), whole: g.avg((r) => r.id, { scale: 1 }) })),
    ids.map((item) => ({
      item,
      exact: mean(ofItem(item), 4),
      whole: mean(
        repairs.flatMap((r, at) => (r.itemId === item ? [String(at + 1)] : [])),
        1,
      ),
    })),
  ],
  [
    "median, percentile and standard deviation",
    from(Repair).totals((rows) => ({
      median: rows.median((r) => r.cost),
      low: rows.percentile((r) => r.cost, 0),
      most: rows.percentile((r) => r.cost, 0.9),
      day: rows.percentile((r) => r.begun, 0.5),
      few: rows.where((r) => r.id.is(1)).stddev((r) => r.cost),
      one: rows.where((r) => r.id.is(1)).stddev((r) => r.cost, "population"),
    })),
    [
      {
        median: middle(costs),
        low: costs[0],
        most: costs[Math.ceil(0.9 * costs.length) - 1],
        day: repairs.map(({ begun }) => begun as Date).sort((a, b) => Number(a) - Number(b))[Math.ceil(repairs.length / 2) - 1],
        few: null,
        one: 0,
      },
    ],
  ],
  [
    "texts and lists of groups, in orders",
    from(Item)
      .groupBy((i) => i.depotId)
      .select((g) => ({
        depot: g.key,
        names: g.joined(
          (i) => i.name,
          "; ",
          (i) => i.id.desc,
        ),
        different: g.distinct().joined((i) => i.name, " 'and' "),
        ids: g.values(
          (i) => i.id,
          (i) => i.id.desc,
        ),
        notes: g.where((i) => i.id.below(4)).values((i) => i.note),
      })),
    society.Depot.map((_, at) => {
      const own = items.map((item, i) => ({ ...item, id: i + 1 })).filter(({ depotId }) => depotId === at + 1);
      const names = own.map(({ name }) => name);
      return {
        depot: at + 1,
        names: names.toReversed().join("; "),
        different: [...new Set(names)].sort().join(" 'and' "),
        ids: own.map(({ id }) => id).reverse(),
        notes: own.flatMap(({ id, note }) => (id < 4 && note != null ? [note] : [])).sort(),
      };
    }),
  ],
  [
    "a text and a median of a set, also of its first rows",
    from(Item).select((i) => ({
      dues: i.loans.orderBy((l) => l.due.desc).joined((l) => l.due.asText(), "|"),
      median: i.loans.median((l) => l.id),
      exact: i.repairs.avg((r) => r.cost, { scale: 1 }),
    })),
    items.map((_, at) => {
      const own = loans.map((loan, i) => ({ ...loan, id: i + 1 })).filter(({ itemId }) => itemId === at + 1);
      return {
        dues:
          own.length === 0
            ? null
            : own
                .map(({ due }) => due)
                .sort()
                .reverse()
                .join("|"),
        median: own.length === 0 ? null : middle(own.map(({ id }) => String(id))),
        exact: ofItem(at + 1).length === 0 ? null : mean(ofItem(at + 1), 1),
      };
    }),
  ],
  [
    "quotients and products of unlike numbers",
    from(Repair).select((r) => ({
      third: r.cost.dividedBy(r.itemId.plus(2), { scale: 3 }),
      times: r.itemId.times(r.cost),
      sum: r.cost.plus(r.id),
      part: r.id.dividedBy(literal(integer, 7), { scale: 2 }),
    })),
    repairs.map(({ cost, itemId }, at) => {
      const exact = parseDecimal(String(cost));
      const divided = (a: typeof exact, b: number, scale: number) => decimalText(divideDecimals(a, { units: BigInt(b), scale: 0 }, scale) as typeof a);
      const id = { units: BigInt(at + 1), scale: 0 };
      return {
        third: divided(exact, itemId + 2, 3),
        times: decimalText({ ...atScale(exact, 2), units: atScale(exact, 2).units * BigInt(itemId) }),
        sum: decimalText(addDecimals(exact, id)),
        part: divided(id, 7, 2),
      };
    }),
  ],
  [
    "a query as a value, of totals and of the rows around it",
    from(Item)
      .where((i) =>
        i.loans.count().above(
          scalar(
            from(
              from(Loan)
                .groupBy((l) => l.itemId)
                .select((g) => ({ n: g.count() })),
            ).totals((rows) => rows.max((r) => r.n.minus(2))),
          ),
        ),
      )
      .select((i) => ({
        name: i.name,
        depot: scalar(
          from(Depot)
            .where((d) => d.id.is(i.depotId))
            .select((d) => d.name),
        ),
      })),
    "select i.name, d.name town from item i join depot d on d.id = i.depot_id where (select count(*) from loan where item_id = i.id) > (select max(n) - 2 from (select count(*) n from loan group by item_id)) order by i.id",
  ],
  [
    "places among others",
    from(Loan).select((l) => ({
      id: l.id,
      part: ntile(4, { order: l.id.asc }),
      at: percentRank({ by: l.itemId, order: l.due.asc }),
      number: rowNumber({ order: l.id.asc }),
    })),
    "select id, ntile(4) over (order by id), percent_rank() over (partition by item_id order by due), row_number() over (order by id) from loan order by id",
  ],
  [
    "an aggregate of one's own",
    from(Loan)
      .groupBy((l) => l.itemId)
      .select((g) => ({ item: g.key, spread: g.own((l) => sql(integer)`max(${l.id}) - min(${l.id})`) })),
    "select item_id, max(id) - min(id) from loan group by 1 order by 1",
  ],
  [
    "quantities that multiply, equal rows kept",
    from(
      recursive(
        "parts",
        from(Kit).select((k) => ({ kit: k.id, depth: literal(integer, 1), quantity: literal(numeric(12, 3), "1.5") })),
        (found) =>
          from(KitItem)
            .join(found, (p, f) => and(p.kitId.is(f.kit), f.depth.below(3)))
            .select((p, f) => ({ kit: f.kit, depth: f.depth.plus(1), quantity: f.quantity.times(p.quantity) })),
        { keepEqual: true },
      ),
    )
      .groupBy((f) => ({ kit: f.kit, depth: f.depth }))
      .select((g) => ({ kit: g.key.kit, depth: g.key.depth, rows: g.count(), quantity: g.sum((f) => f.quantity) })),
    "with recursive parts(kit, depth, q) as (select id, 1, 1500 from kit union all select f.kit, depth + 1, q * p.quantity from kit_item p join parts f on p.kit_id = f.kit and depth < 3) select kit, depth, count(*), printf('%d.%03d', sum(q) / 1000, sum(q) % 1000) from parts group by kit, depth order by kit, depth",
  ],
  [
    "counts and texts that grow along a tree",
    from(
      recursive(
        "line",
        from(Member)
          .where((m) => m.sponsorId.is(null))
          .select((m) => ({ id: m.id, names: m.name, loans: m.loans.count() })),
        (found) =>
          from(Member)
            .join(found, (m, f) => m.sponsorId.is(f.id))
            .select((m, f) => ({ id: m.id, names: f.names.concat(" > ", m.name), loans: f.loans.plus(m.loans.count()) })),
      ),
    ).select((f) => ({ id: f.id, names: f.names, loans: f.loans })),
    "with recursive line(id, names, n) as (select id, name, (select count(*) from loan where member_id = m.id) from member m where sponsor_id is null union select m.id, names || ' > ' || m.name, n + (select count(*) from loan where member_id = m.id) from member m join line l on m.sponsor_id = l.id) select * from line order by 1, 2, 3",
  ],
  [
    "a day for each of a month, with what was due",
    from(series.days("2026-03-01", "2026-03-31"))
      .leftJoin(Loan, (d, l) => l.due.is(d))
      .groupBy((d) => d)
      .select((g) => ({ day: g.key, week: g.key.startOfWeek(), loans: g.count((_, l) => l.id) })),
    "with recursive d(day) as (select '2026-03-01' union all select date(day, '+1 day') from d where day < '2026-03-31') select day, date(day, '-' || ((strftime('%w', day) + 6) % 7) || ' days'), count(l.id) from d left join loan l on l.due = day group by day order by day",
  ],
  [
    "months from the end of one on, and their quarters",
    from(series.months("2025-10-31", "2026-03-30")).select((m) => ({
      month: m,
      quarter: m.quarter(),
      from: m.startOfQuarter(),
      since: m.monthsSince("2026-01-01"),
    })),
    [
      ["2025-10-31", 4, "2025-10-01", -2],
      ["2025-11-30", 4, "2025-10-01", -1],
      ["2025-12-31", 4, "2025-10-01", 0],
      ["2026-01-31", 1, "2026-01-01", 0],
      ["2026-02-28", 1, "2026-01-01", 1],
    ].map(([month, quarter, from_, since]) => ({ month, quarter, from: from_, since })),
  ],
  [
    "numbers, more than an engine recurs to, and none",
    from(series.numbers(-3, 2500)).totals((rows) => ({
      n: rows.count(),
      sum: rows.sum((n) => n),
      none: scalar(from(series.numbers(2, 1)).totals((none) => none.count())),
    })),
    [{ n: 2504, sum: (2500 * 2501) / 2 - 6, none: 0 }],
  ],
  [
    "days as many later as a row's place, and months as a count",
    from(Loan).select((l) => ({
      day: l.due.plusDays(rowNumber({ order: l.id.asc })),
      month: l.due.plusMonths(l.item.loans.count()),
      since: l.due.plusMonths(-14).monthsSince(l.due),
    })),
    "select date(due, row_number() over (order by id) || ' days'), case when substr(date(due, (select count(*) from loan m where m.item_id = loan.item_id) || ' months'), 9) = substr(due, 9) then date(due, (select count(*) from loan m where m.item_id = loan.item_id) || ' months') else date(due, (select count(*) from loan m where m.item_id = loan.item_id) || ' months', 'start of month', '-1 day') end, -14 from loan order by id",
  ],
  [
    "numbers and days out of texts",
    from(Item)
      .limit(1)
      .select((i) => {
        const text = (value: string) => i.name.replace(i.name, value).concat("");
        return Object.fromEntries(
          parsed.map(([value], at) => [`t${at}`, { whole: text(value).toInteger(), exact: text(value).toNumeric(5, 2), day: text(value).toDay() }]),
        );
      }),
    [Object.fromEntries(parsed.map(([, whole, exact, day], at) => [`t${at}`, { whole, exact, day }]))],
  ],
  [
    "two queries side by side, whatever either lacks",
    from(
      from(Loan)
        .where((l) => l.id.below(9))
        .groupBy((l) => l.itemId)
        .select((g) => ({ item: g.key, loans: g.count() })),
    )
      .fullJoin(
        from(Repair)
          .groupBy((r) => r.itemId)
          .select((g) => ({ item: g.key, cost: g.sum((r) => r.cost) })),
        (l, r) => l.item.is(r.item),
      )
      .orderBy((l, r) => coalesce(l.item, r.item).asc)
      .select((l, r) => ({ item: coalesce(l.item, r.item), loans: l.loans, cost: r.cost })),
    "select coalesce(l.item_id, r.item_id), n, cost from (select item_id, count(*) n from loan where id < 9 group by 1) l full join (select item_id, printf('%.2f', sum(cost)) cost from repair group by 1) r on l.item_id = r.item_id order by 1",
  ],
  [
    "a full join, grouped and narrowed",
    from(from(Loan).select((l) => ({ item: l.itemId, due: l.due })))
      .fullJoin(
        from(Repair).select((r) => r.itemId),
        (l, r) => l.item.is(r),
      )
      .where((l, r) => l.item.is(null).is(r.is(null)))
      .groupBy((l) => l.item)
      .select((g) => ({ item: g.key, rows: g.count() })),
    "select l.item_id, count(*) from loan l full join repair r on r.item_id = l.item_id where (l.item_id is null) = (r.item_id is null) group by 1 order by 1",
  ],
  [
    "totals below totals",
    from(Loan).rollup(
      (l) => ({ town: l.item.depot.town, blocked: l.borrower.blocked }),
      (g) => ({ town: g.key.town, blocked: g.key.blocked, all: g.isTotal("blocked"), loans: g.count(), last: g.max((l) => l.due) }),
    ),
    "select * from (select d.town, m.blocked, 0 a, count(*), max(l.due) from loan l join item i on i.id = l.item_id join depot d on d.id = i.depot_id join member m on m.id = l.member_id group by 1, 2 union all select d.town, null, 1, count(*), max(l.due) from loan l join item i on i.id = l.item_id join depot d on d.id = i.depot_id group by 1 union all select null, null, 1, count(*), max(due) from loan) order by 1, 2, 3",
  ],
  [
    "sets of keys, ordered and cut",
    from(Repair)
      .groupingSets(
        (r) => ({ item: r.itemId, year: r.begun.year() }),
        [["year"], ["item"]],
        (g) => ({ item: g.key.item, year: g.key.year, cost: g.sum((r) => r.cost) }),
      )
      .orderBy((r) => r.item.desc)
      .limit(7),
    "select item, year, printf('%.2f', cost) from (select null item, cast(substr(begun, 1, 4) as integer) year, sum(cost) cost from repair group by 2 union all select item_id, null, sum(cost) from repair group by 1) order by item desc, year desc limit 7",
  ],
  [
    "what sets come to, for all rows at once or for each",
    from(Item)
      .where((i) =>
        i.loans
          .where((l) => l.returned.is(null))
          .count()
          .above(0),
      )
      .orderBy((i) => [i.loans.count().desc, i.repairs.sum((r) => r.cost).desc])
      .select((i) => ({
        id: i.id,
        loans: i.loans.count(),
        open: i.loans.where((l) => l.returned.is(null)).count(),
        last: i.loans.max((l) => l.due),
        cost: i.repairs.sum((r) => r.cost),
      })),
    "select id, (select count(*) from loan where item_id = i.id) n, (select count(*) from loan where item_id = i.id and returned is null) open, (select max(due) from loan where item_id = i.id) last, (select case when count(*) > 0 then printf('%.2f', sum(cost)) end from repair where item_id = i.id) cost from item i where open > 0 order by n desc, (select sum(cost) from repair where item_id = i.id) desc, id desc",
  ],
  [
    "sets of rows that have none, and of those around another query",
    from(Member)
      .where((m) => or(m.loans.count().is(0), m.sponsored.count().above(scalar(from(Member).totals((all) => all.min((x) => x.sponsored.count()))))))
      .select((m) => ({ id: m.id, loans: m.loans.count(), by: m.sponsor.loans.count(), rest: m.loans.where((l) => l.memberId.is(m.id)).count() })),
    "select id, (select count(*) from loan where member_id = m.id), (select count(*) from loan where member_id = m.sponsor_id), (select count(*) from loan l where l.member_id = m.id) r from member m where not exists (select 1 from loan where member_id = m.id) or exists (select 1 from member s where s.sponsor_id = m.id) order by id",
  ],
  [
    "no value of a kind",
    from(Depot).select((d) => ({ id: d.id, none: literal(numeric(5, 1), null), day: literal(date, null) })),
    "select id, null a, null b from depot order by id",
  ],
];

test.each(cases)("%s", (_, query, expected) => expectSame(all(), query, expected));

eachEngine(all, "rows are grouped by the key of the row that is joined, where more of that row is a key", async (_, engine) => {
  const query = from(Loan)
    .groupBy((l) => ({ depot: l.item.depotId, id: l.itemId, name: l.item.name }))
    .having((g) => g.key.id.above(3))
    .orderBy((g) => g.key.id.desc)
    .limit(5)
    .select((g) => ({ ...g.key, loans: g.count() }));
  const [usual, trusting] = await Promise.all([{}, { trustConstraints: true }].map((options) => engine.connect(options).list(query)));
  expect(usual).toEqual(trusting);
  expect(trusting?.length).toBe(5);
});

eachEngine(all, "totals, series and what is joined fully go with every verb, in templates and in writes", async (db) => {
  const totals = from(Loan).totals((rows) => ({ n: rows.count(), last: rows.max((l) => l.due) }));
  const row = {
    n: loans.length,
    last: loans
      .map(({ due }) => due)
      .sort()
      .at(-1),
  };
  expect(await db.page(totals, { size: 5 })).toEqual({ rows: [row], total: 1, pages: 1, number: 1, size: 5 });
  expect((await db.portion(totals, 5)).rows).toEqual([row]);
  for await (const one of db.stream(totals)) expect(one).toEqual(row);
  expect(await db.work((w) => w.single(totals))).toEqual(row);
  const days = template({ from: date, to: date }, (p) => from(series.days(p.from, p.to)).totals((rows) => ({ days: rows.count(), last: rows.max((d) => d) })));
  expect(await db.single(days.with({ from: "2026-01-30", to: "2026-02-02" }))).toEqual({ days: 4, last: "2026-02-02" });
  const levels = from(Loan).rollup(
    (l) => ({ member: l.memberId }),
    (g) => ({ member: g.key.member, loans: g.count() }),
  );
  expect((await db.page(levels, { size: 2 })).total).toBe(new Set(loans.map(({ memberId }) => memberId)).size + 1);
  await db
    .transaction(async (tx) => {
      const mended = scalar(
        from(Repair)
          .where((r) => r.itemId.is(1))
          .totals((rows) => rows.joined((r) => r.cost.asText(), "; ")),
      );
      await tx.update(from(Item).byKey(1), () => ({ note: mended }));
      const wanted = repairs
        .filter(({ itemId }) => itemId === 1)
        .map(({ cost }) => String(cost))
        .sort()
        .join("; ");
      expect((await tx.single(from(Item).byKey(1))).note).toBe(wanted === "" ? null : wanted);
      expect(
        await tx.insertFrom(
          Depot,
          from(Depot).totals((rows) => ({
            districtId: rows.min((d) => d.districtId),
            name: rows.joined((d) => d.name, "+"),
            town: literal(text, "all"),
          })) as never,
        ),
      ).toBe(1);
      throw new Error("undone");
    })
    .catch((error: Error) => expect(error.message).toBe("undone"));
});

eachEngine(all, "a query of several rows is no value", async (db) => {
  const several = from(Member).select(() => ({ any: scalar(from(Loan).select((l) => l.due)) }));
  await expect(db.list(several.limit(1))).rejects.toThrow(expect.objectContaining({ code: "VALUE_SEVERAL" }));
  await expect(
    db.list(
      from(Member).where((m) =>
        m.id.is(
          scalar(
            from(Loan)
              .limit(2)
              .select((l) => l.id),
          ),
        ),
      ),
    ),
  ).rejects.toThrow(expect.objectContaining({ code: "VALUE_SEVERAL" }));
});

test("what chooses rows is told from what is worked out of them", () => {
  const fails = (work: () => unknown, code: string) => expect(work).toThrow(expect.objectContaining({ code }));
  fails(() => from(Loan).where((l) => rowNumber({ order: l.id.asc }).is(1)), "WINDOW_UNFIT");
  fails(() => from(Loan).groupBy((l) => sumOver(l.id, {})), "WINDOW_UNFIT");
  fails(
    () =>
      from(Loan)
        .limit(3)
        .totals((rows) => rows.count()),
    "ROWS_CUT",
  );
  fails(() => from(Loan).totals(() => literal(integer, 1)), "VALUE_UNFIT");
  fails(() => from(Loan).totals((rows) => rows.avg((l) => l.id.asDouble() as never, { scale: 2 })), "VALUE_UNFIT");
  fails(
    () =>
      recursive(
        "deep",
        from(Repair).select((r) => ({ c: r.cost })),
        (f) =>
          from(Repair)
            .join(f, (r, g) => r.cost.is(g.c))
            .select((r) => ({ c: r.cost.times(r.cost) })),
      ),
    "QUERIES_UNLIKE",
  );
  // @ts-expect-error groups need keys
  fails(() => from(Loan).groupBy(() => ({})), "SELECTION_UNFIT");
});

test("decimals that others stored with more or fewer digits are the same values, on SQLite", async () => {
  const engine = all().find(({ name }) => name.endsWith("sqlite")) as Engine;
  await engine.execute("create table bill (id integer primary key, sum, tax numeric)");
  await engine.execute("insert into bill values (1, '5', '0.5'), (2, '5.00', 0.5), (3, 5.0, '0.50'), (4, '-12.5', 0), (5, null, 1)");
  const { Bill } = model({ Bill: entity("bill", { id: identity, sum: numeric(8, 2).nullable, tax: numeric(4, 2) }) });
  const db = engine.connect();
  const bills = from(Bill);
  expect(await db.list(bills.groupBy((b) => b.sum).select((g) => ({ sum: g.key, bills: g.count() })))).toEqual([
    { sum: null, bills: 1 },
    { sum: "-12.50", bills: 1 },
    { sum: "5.00", bills: 3 },
  ]);
  expect(await db.list(bills.select((b) => b.tax).distinct())).toEqual(["0.00", "0.50", "1.00"]);
  const taxes = bills.select((b) => b.tax);
  expect(await db.count(union(taxes, taxes))).toBe(3);
  expect(await db.list(bills.where((b) => b.id.atMost(3)).select((b) => countOver({ by: b.sum })))).toEqual([3, 3, 3]);
  expect(
    await db.single(bills.totals((rows) => ({ sum: rows.sum((b) => b.sum.times(b.tax.plus("1.00"))), mean: rows.avg((b) => b.tax, { scale: 3 }) }))),
  ).toEqual({
    sum: "10.0000",
    mean: "0.500",
  });
  expect(await db.list(bills.where((b) => b.sum.times("2.5").rounded(1).above(b.tax.plus("11.99"))).select((b) => b.id))).toEqual([1, 2, 3]);
});

test.each([
  { what: "half as slow again", kept: 32, anew: 20, prepared: 5 + 5 + 9, isKept: false },
  { what: "many times as slow", kept: 150, anew: 20, prepared: 5 + 2 + 2, isKept: false },
  { what: "as slow as any since the server has more to do", kept: 50, anew: 55, prepared: 50 - 1 - 9, isKept: true },
])("a text whose kept plan is $what", async ({ kept, anew, prepared, isKept }) => {
  const sent: boolean[] = [];
  let runs = 0;
  let time = 0;
  const clock = vi.spyOn(performance, "now").mockImplementation(() => time);
  onTestFinished(() => clock.mockRestore());
  const connection = {
    query: async (query: { name?: string } | string) => {
      if (typeof query === "string") return { rows: [], rowCount: 0 };
      const isPrepared = query.name !== undefined;
      sent.push(isPrepared);
      if (isPrepared) runs++;
      // Prepared, and run more than five times, it has a plan that is kept.
      time += runs <= 5 ? 20 : isPrepared ? kept : anew;
      return { rows: [], rowCount: 0 };
    },
    release: () => {},
  };
  const pool = { query: connection.query, connect: async () => connection };
  const db = database(postgres(pool));
  const query = from(Loan).where((l) => l.itemId.is(7));
  for (let i = 0; i < 50; i++) await db.list(query);
  // The first is not worth it yet; after some of both it is known.
  expect(sent.slice(0, 6)).toEqual([false, true, true, true, true, true]);
  expect(sent.filter((isPrepared) => isPrepared)).toHaveLength(prepared);
  expect(sent.slice(-20)).toEqual(Array.from({ length: 20 }, () => isKept));
  sent.length = 0;
  const asAsked = query.plannedAnew();
  for (let i = 0; i < 3; i++) await db.list(asAsked);
  expect(sent).toEqual([false, false, false]);
});

test("what is worked out has the types of its values", () => {
  const row = from(Repair).totals((rows) => ({ n: rows.count(), sum: rows.sum((r) => r.cost), day: rows.max((r) => r.begun), ids: rows.values((r) => r.id) }));
  expectTypeOf<RowOf<typeof row>>().toEqualTypeOf<{ n: number; sum: string | null; day: Date | null; ids: number[] }>();
  const group = from(Repair)
    .groupBy((r) => r.itemId)
    .select((g) => ({
      least: g.min((r) => r.cost),
      share: g.count().dividedBy(
        g.sum((r) => r.itemId),
        { scale: 2 },
      ),
      product: g.key.times(g.max((r) => r.cost)),
      text: g.joined((r) => r.item.name, ", "),
      note: g.joined((r) => r.item.note, ""),
    }));
  expectTypeOf<RowOf<typeof group>>().toEqualTypeOf<{
    least: string;
    share: string | null;
    product: string;
    text: string;
    note: string | null;
  }>();
  const window = from(Item).select((i) => ({ least: minOver(i.id, {}), note: maxOver(i.note, {}), none: literal(integer, null) }));
  expectTypeOf<RowOf<typeof window>>().toEqualTypeOf<{ least: number; note: string | null; none: number | null }>();
  // @ts-expect-error a column is none of all rows
  expect(() => from(Item).totals(() => ({ id: "no" }))).toThrow();
  // @ts-expect-error floating-point numbers have no exact average
  expect(() => from(Item).totals((rows) => rows.avg((i) => i.id.asDouble(), { scale: 2 }))).toThrow();
});

const keyNames = ["item", "month", "returned", "town", "sponsor"] as const;

test("random sets of keys give the same totals on every engine, be they by one select or by one each", async () => {
  await fc.assert(
    fc.asyncProperty(
      fc.uniqueArray(fc.subarray([...keyNames]), { minLength: 1, maxLength: 4, selector: (set) => set.join() }),
      fc.boolean(),
      async (sets, isNarrowed) => {
        const query = from(Loan)
          .where((l) => (isNarrowed ? l.returned.is(null) : l.id.above(2)))
          .groupingSets(
            (l) => ({ item: l.itemId, month: l.due.month().plus(1), returned: l.returned, town: l.item.depot.town, sponsor: l.borrower.sponsorId }),
            sets,
            (g) => ({
              ...{ item: g.key.item, month: g.key.month, town: coalesce(g.key.town, "everywhere"), isOut: g.key.returned.is(null), sponsor: g.key.sponsor },
              ...Object.fromEntries(keyNames.map((name) => [`${name}Total`, g.isTotal(name)])),
              ...{ loans: g.count(), early: g.where((l) => l.due.below("2026-03-01")).count(), last: g.max((l) => l.due) },
            }),
          );
        const answers = await Promise.all(all().map(async (engine) => (await engine.connect().list(query)).map((row) => JSON.stringify(row)).sort()));
        for (const answer of answers) expect(answer).toEqual(answers[0]);
      },
    ),
    { numRuns: process.env.CI === "true" ? 60 : 15 },
  );
});
