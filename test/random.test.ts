import fc from "fast-check";
import { beforeAll, expect, test } from "vitest";
import {
  and,
  countOver,
  createTables,
  entity,
  firstOf,
  from,
  integer,
  lag,
  lead,
  literal,
  model,
  preview,
  type Query,
  rank,
  rowNumber,
  sumOver,
  varchar,
} from "../src/index.js";
import { useEngines } from "./support/engines.js";
import { Probe, type ProbeRow, probeRows, probes } from "./support/probe.js";
import { at2, byCodePoint, decimals, expressions, half, numbers, predicates, texts, units } from "./support/random-expressions.js";
import { changes, compare, fits, meantBy, once, orders, sometimes, sorted, sources } from "./support/random-rows.js";

const { all } = useEngines(true);
beforeAll(async () => {
  for (const engine of all()) {
    const db = engine.connect();
    await createTables(db, probes);
    await db.insert(Probe, probeRows);
  }
});

// biome-ignore lint/suspicious/noExplicitAny: random queries are put together without types
type Untyped = any;
type Row = Readonly<Record<string, unknown>>;

/** A query, and the rows that it must give. */
interface Asked {
  readonly query: () => Query;
  readonly rows: readonly unknown[];
}

const values = fc.array(expressions(3), { minLength: 1, maxLength: 3 });
const direction = (descending: boolean) => (descending ? "desc" : "asc");

/** Rows of a source, narrowed, in an order, cut, and what is worked out of each. */
const lists = fc.record({ source: sources(1), where: sometimes(predicates(3)), order: orders, limit: sometimes(fc.nat({ max: 5 })), values }).map(
  ({ source, where, order, limit, values }): Asked => ({
    query: () => {
      let query = source.query();
      if (where !== undefined) query = query.where((r: Untyped) => where.expression(r));
      if (order !== undefined) query = query.orderBy((r: Untyped) => order[0].expression(r)[direction(order[1])]);
      if (limit !== undefined) query = query.limit(limit);
      return query.select((r: Untyped) => Object.fromEntries(values.map((value, i) => [`v${i}`, value.expression(r)])));
    },
    rows: sorted(
      source.rows.filter((row) => where === undefined || where.value(row) === true),
      order?.[0].value,
      order?.[1],
    )
      .slice(0, limit)
      .map((row) => Object.fromEntries(values.map((value, i) => [`v${i}`, value.value(row)]))),
  }),
);

const sum = (of: readonly number[]): number | null => (of.length === 0 ? null : of.reduce((a, b) => a + b, 0));
const present = (of: readonly (number | null)[]): readonly number[] => of.filter((value) => value !== null);

/** Groups of a source's rows; those of a part of them, and what is worked out of only some of a group's rows. */
const groups = fc
  .record({
    ...{ source: sources(1), where: sometimes(predicates(2)), key: sometimes(numbers(1)), of: numbers(1), some: predicates(1) },
    ...{ least: sometimes(fc.nat({ max: 2 })), amount: decimals(1), word: texts(1), separator: fc.constantFrom(", ", "", "'", "é\\") },
    fraction: fc.constantFrom(0, 0.07, 0.25, 0.3, 0.5, 0.9, 1),
  })
  .map(({ source, where, key, of, some, least, amount, word, separator, fraction }): Asked => {
    const rows = source.rows.filter((row) => where === undefined || where.value(row) === true);
    const found = new Map<number | null, ProbeRow[]>();
    // Without a key all rows are worked out together, also none.
    if (key === undefined) found.set(null, rows as ProbeRow[]);
    else for (const row of rows) found.set(key.value(row), [...(found.get(key.value(row)) ?? []), row]);
    const summed = (group: readonly ProbeRow[]) => present(group.map((row) => of.value(row)));
    const ordered = (group: readonly ProbeRow[]) => [...summed(group)].sort((a, b) => a - b);
    const inOrder = (group: readonly ProbeRow[], side: -1 | 1) => {
      const all = ordered(group);
      return (side < 0 ? all[(all.length - 1) >> 1] : all[all.length >> 1]) as number;
    };
    const words = (group: readonly ProbeRow[]) => group.flatMap((row) => word.value(row) ?? []).sort(byCodePoint);
    const totalOf = (group: readonly ProbeRow[]) => {
      const amounts = group.flatMap((row) => amount.value(row) ?? []);
      if (amounts.length === 0) return { total: null, mean: null };
      const total = amounts.reduce((all, one) => all + units(one), 0n);
      return { total: at2(total), mean: at2(half(total, BigInt(amounts.length))) };
    };
    return {
      query: () => {
        const narrowed = where === undefined ? source.query() : source.query().where((r: Untyped) => where.expression(r));
        const worked = (g: Untyped) => ({
          key: key === undefined ? literal(integer, null) : g.key,
          rows: g.count(),
          there: g.count((r: Untyped) => of.expression(r)),
          median: g.median((r: Untyped) => of.expression(r)),
          part: g.percentile((r: Untyped) => of.expression(r), fraction),
          text: g.joined((r: Untyped) => word.expression(r), separator),
          list: g.where((r: Untyped) => some.expression(r)).values((r: Untyped) => of.expression(r)),
          different: g.distinct().values((r: Untyped) => of.expression(r)),
          total: g.sum((r: Untyped) => amount.expression(r)),
          mean: g.avg((r: Untyped) => amount.expression(r), { scale: 2 }),
          some: g.where((r: Untyped) => some.expression(r)).count(),
          sum: g.sum((r: Untyped) => of.expression(r)),
          sumOfSome: g.where((r: Untyped) => some.expression(r)).sum((r: Untyped) => of.expression(r)),
          most: g.max((r: Untyped) => of.expression(r)),
          kinds: g.countDistinct((r: Untyped) => of.expression(r)),
        });
        if (key === undefined) return narrowed.totals(worked);
        const grouped = narrowed.groupBy((r: Untyped) => key.expression(r));
        return (least === undefined ? grouped : grouped.having((g: Untyped) => g.count().above(least))).select(worked);
      },
      rows: [...found]
        .filter(([, group]) => least === undefined || key === undefined || group.length > least)
        .sort(([a], [b]) => compare(a, b))
        .map(([key, group]) => ({
          key,
          rows: group.length,
          there: summed(group).length,
          median: summed(group).length === 0 ? null : (inOrder(group, -1) + inOrder(group, 1)) / 2,
          part: summed(group).length === 0 ? null : ordered(group)[Math.max(1, Math.ceil(fraction * summed(group).length)) - 1],
          text: words(group).length === 0 ? null : words(group).join(separator),
          list: ordered(group.filter((row) => some.value(row))),
          different: [...new Set(ordered(group))],
          ...totalOf(group),
          some: group.filter((row) => some.value(row)).length,
          sum: sum(summed(group)),
          sumOfSome: sum(summed(group.filter((row) => some.value(row)))),
          most: summed(group).length === 0 ? null : Math.max(...summed(group)),
          kinds: new Set(summed(group)).size,
        })),
    };
  });

const nobody = (row: ProbeRow): ProbeRow => Object.fromEntries(Object.keys(row).map((name) => [name, null])) as unknown as ProbeRow;

/** Rows of two sources side by side, where a number of one is that of the other and a condition holds. */
const joins = fc
  .record({
    left: sources(1),
    right: sources(1),
    on: fc.tuple(numbers(1), numbers(1)),
    also: predicates(1),
    kind: fc.constantFrom("join", "leftJoin", "crossJoin"),
    where: sometimes(predicates(1)),
    ofLeft: expressions(2),
    ofRight: expressions(2),
  })
  .map(({ left, right, on, also, kind, where, ofLeft, ofRight }): Asked => {
    const isPair = (a: ProbeRow, b: ProbeRow) =>
      kind === "crossJoin" || (on[0].value(a) !== null && on[0].value(a) === on[1].value(b) && also.value(b) === true);
    const pairs = sorted(left.rows).flatMap((a): readonly (readonly [ProbeRow, ProbeRow])[] => {
      const others = sorted(right.rows).filter((b) => isPair(a, b));
      return kind === "leftJoin" && others.length === 0 ? [[a, nobody(a)]] : others.map((b) => [a, b]);
    });
    return {
      query: () => {
        const condition = (a: Untyped, b: Untyped) => and(on[0].expression(a).is(on[1].expression(b)), also.expression(b));
        const beside = kind === "crossJoin" ? left.query().crossJoin(right.joined()) : left.query()[kind](right.joined(), condition);
        const narrowed = where === undefined ? beside : beside.where((_: Untyped, b: Untyped) => where.expression(b));
        return narrowed.select((a: Untyped, b: Untyped) => ({ left: ofLeft.expression(a), right: ofRight.expression(b) }));
      },
      rows: pairs.filter(([, b]) => where === undefined || where.value(b) === true).map(([a, b]) => ({ left: ofLeft.value(a), right: ofRight.value(b) })),
    };
  });
/** Rows among others: those of equal parity, in an order. */
const windows = fc
  .record({
    source: sources(1).filter(({ rows }) => once(rows).length === rows.length),
    by: predicates(1),
    order: numbers(1),
    descending: fc.boolean(),
    of: numbers(1),
    before: fc.nat({ max: 2 }),
  })
  .map(
    ({ source, by, order, descending, of, before }): Asked => ({
      query: () =>
        source.query().select((r: Untyped) => {
          const window = { by: by.expression(r), order: order.expression(r)[direction(descending)] };
          const value = of.expression(r);
          return {
            number: rowNumber(window),
            rank: rank(window),
            before: lag(value, window),
            after: lead(value, window, 2),
            moving: sumOver(value, { ...window, before, after: 1 }),
            all: countOver({ by: window.by }),
          };
        }),
      rows: sorted(source.rows).map((row) => {
        const peers = sorted(
          source.rows.filter((other) => by.value(other) === by.value(row)),
          order.value,
          descending,
        );
        const at = peers.indexOf(row);
        const value = (index: number) => (peers[index] === undefined ? null : of.value(peers[index]));
        return {
          number: at + 1,
          rank: peers.findIndex((other) => order.value(other) === order.value(row)) + 1,
          before: value(at - 1),
          after: value(at + 2),
          moving: sum(present(peers.slice(Math.max(0, at - before), at + 2).map((other) => of.value(other)))),
          all: peers.length,
        };
      }),
    }),
  );

const runs = Number(process.env.GEMACH_QUERIES ?? 100);
// A number of runs that is no whole one is never reached.
const fewer = Math.ceil(runs / 8);
const describe = (query: Query, dialect: Untyped) =>
  preview(query, { dialect })
    .map(({ text, parameters }) => `${text} ${JSON.stringify(parameters)}`)
    .join("\n");

test(`${runs} random queries give what plain code gives, on every engine`, async () => {
  await fc.assert(
    fc.asyncProperty(fc.oneof({ weight: 3, arbitrary: lists }, groups, joins, windows), async ({ query, rows }) => {
      fc.pre(fits(rows as readonly Row[]));
      for (const engine of all()) {
        const db = engine.connect();
        const found = await db.list(query()).catch((error: unknown) => error);
        expect(found, `${engine.name}: ${describe(query(), db.dialect)}`).toStrictEqual(rows);
      }
    }),
    { numRuns: runs },
  );
}, 3_600_000);

/** Changes of the rows that a condition keeps, and the rows that there are afterwards. */
const writes = fc.record({
  verb: fc.constantFrom("update", "delete", "insertFrom"),
  where: predicates(2),
  among: sometimes(sources(1)),
  given: changes,
  /** What the first row that points at the changed one tells. */
  told: sometimes(numbers(1)),
  limit: sometimes(fc.nat({ max: 4 })),
});

test(`${fewer} random writes leave what plain code leaves, on every engine`, async () => {
  await fc.assert(
    fc.asyncProperty(writes, async ({ verb, where, among, given, told, limit }) => {
      const pointing = (row: ProbeRow) => sorted(probeRows, ({ id }) => id).find(({ b }) => b === row.id);
      const changed = (row: ProbeRow): ProbeRow =>
        ({
          ...row,
          ...(told === undefined ? {} : { b: pointing(row) === undefined ? null : told.value(pointing(row) as ProbeRow) }),
          ...Object.fromEntries(Object.keys(given).map((name) => [name, meantBy(given, name).value(row)])),
        }) as ProbeRow;
      const isMeant = (row: ProbeRow) => where.value(row) === true && (among === undefined || among.rows.some(({ b }) => b !== null && b === row.id));
      const meant = sorted(probeRows.filter(isMeant), (row) => row.id).slice(0, limit);
      fc.pre(fits(meant.map(changed)) && meant.map(changed).every(({ s, q, f }) => s !== null && Math.abs(Number(q)) < 1e6 && f !== null));
      const others = probeRows.filter((row) => !meant.includes(row));
      const rows = {
        update: [...others, ...meant.map(changed)],
        delete: others,
        insertFrom: [...probeRows, ...meant.map((row) => ({ ...changed(row), id: row.id + 10 }))],
      }[verb];
      const first = (r: Untyped) =>
        firstOf(
          from(Probe)
            .where((p) => p.b.is(r.id))
            .orderBy((p) => p.id.asc)
            .select((p) => told?.expression(p)) as Untyped,
        );
      const values = (r: Untyped) => ({
        ...(told === undefined ? {} : { b: first(r) }),
        ...Object.fromEntries(Object.keys(given).map((name) => [name, meantBy(given, name).expression(r)])),
      });
      const copy = (r: Untyped) => ({
        ...Object.fromEntries(Object.keys(probeRows[0] as object).map((name) => [name, r[name]])),
        ...values(r),
        id: r.id.plus(10),
      });
      for (const engine of all()) {
        const db: Untyped = engine.connect();
        let query: Untyped = from(Probe).where((r) => where.expression(r));
        if (among !== undefined) query = query.where((r: Untyped) => r.id.oneOf(among.query().select((other: Untyped) => other.b)));
        if (limit !== undefined) query = query.orderBy((r: Untyped) => r.id.asc).limit(limit);
        if (verb === "update") await db.update(query, values);
        else if (verb === "delete") await db.delete(query, { all: true });
        else await db.insertFrom(Probe, query.select(copy));
        const found = await db.list(from(Probe));
        await db.delete(from(Probe), { all: true });
        await db.insert(Probe, probeRows);
        expect(found, `${engine.name}: ${verb} of ${describe(query, db.dialect)}`).toStrictEqual(sorted(rows, (row) => row.id));
      }
    }),
    { numRuns: fewer },
  );
}, 3_600_000);

// A table whose maker has defaults of his own, which the model does not know, or takes for others.
const { Gauge } = model({
  Gauge: entity("gauge", { id: integer.key, a: integer.defaultsTo(1), b: varchar(9).nullable, c: integer.nullable, d: varchar(9) }),
});
const ownDefaults = { a: 7, b: "x", c: 3 };
type GaugeRow = { readonly id: number; readonly a?: number; readonly b?: string | null; readonly c?: number | null; readonly d: string };
const gaugeRows = fc.array(
  fc.record(
    { id: fc.integer({ min: 1, max: 5 }), a: fc.nat({ max: 9 }), b: fc.constantFrom("p", "", null), c: fc.constantFrom(0, null), d: fc.constantFrom("m", "n") },
    { requiredKeys: ["id", "d"] },
  ),
  { minLength: 1, maxLength: 5 },
);
const batches = fc.array(fc.record({ verb: fc.constantFrom("insert", "upsert"), rows: gaugeRows, isReturned: fc.boolean() }), { minLength: 1, maxLength: 4 });

test(`${fewer} random batches of rows of unlike shape: what a row leaves out is the table's matter`, async () => {
  for (const engine of all())
    await engine.execute(
      "create table gauge (id integer primary key, a integer default 7, b varchar(9) default 'x', c integer default 3, d varchar(9) not null)",
    );
  await fc.assert(
    fc.asyncProperty(batches, async (given) => {
      const table = new Map<number, Row>();
      const steps = given.map(({ verb, rows, isReturned }) => {
        const isDouble = verb === "insert" && (rows.some(({ id }) => table.has(id)) || new Set(rows.map(({ id }) => id)).size < rows.length);
        if (isDouble) return { verb, rows, isReturned, answer: "UNIQUE_VIOLATED" };
        const now = rows.map((row) => {
          const { id, a, b, c, d }: Row = { ...ownDefaults, ...table.get(row.id), ...row };
          table.set(row.id, { id, a, b, c, d });
          return { id, a, b, c, d };
        });
        return { verb, rows, isReturned, answer: isReturned ? now : rows.length };
      });
      for (const engine of all()) {
        const db: Untyped = engine.connect();
        for (const { verb, rows, isReturned, answer } of steps) {
          const options = isReturned ? { returning: true } : {};
          const found = await db[verb](Gauge, rows as GaugeRow[], options).catch((error: Untyped) => error.code ?? error);
          expect(found, `${engine.name}: ${verb} ${JSON.stringify(rows)}`).toStrictEqual(answer);
        }
        const found = await db.list(from(Gauge));
        await engine.execute("delete from gauge");
        expect(found, engine.name).toStrictEqual([...table.values()].sort((x, y) => Number(x.id) - Number(y.id)));
      }
    }),
    { numRuns: fewer, includeErrorInReport: true },
  );
}, 3_600_000);
