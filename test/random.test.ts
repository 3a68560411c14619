import fc from "fast-check";
import { beforeAll, expect, test } from "vitest";
import { from, layOut, preview, type Query } from "../src/index.js";
import { useEngines } from "./support/engines.js";
import { Probe, type ProbeRow, probeRows, probes } from "./support/probe.js";
import { expressions, numbers, predicates } from "./support/random-expressions.js";

const { all } = useEngines();
beforeAll(async () => {
  for (const engine of all()) {
    const db = engine.connect();
    await layOut(db, probes);
    await db.insert(Probe, probeRows);
  }
});

// biome-ignore lint/suspicious/noExplicitAny: random queries are put together without types
type Untyped = any;

const compare = (a: unknown, b: unknown): number => {
  if (a === b) return 0;
  if (a === null) return -1;
  if (b === null) return 1;
  return typeof a === "string" ? Buffer.compare(Buffer.from(a), Buffer.from(b as string)) : (a as number) - (b as number);
};

const sometimes = <T>(arbitrary: fc.Arbitrary<T>) => fc.option(arbitrary, { nil: undefined });

const queries = fc.record({
  where: sometimes(predicates(3)),
  order: sometimes(fc.tuple(numbers(2), fc.boolean())),
  limit: sometimes(fc.nat({ max: 5 })),
  values: fc.array(expressions(3), { minLength: 1, maxLength: 3 }),
  group: sometimes(fc.tuple(numbers(1), numbers(1))),
});
type Spec = typeof queries extends fc.Arbitrary<infer T> ? T : never;

function queryOf({ where, order, limit, values, group }: Spec): Query {
  let query: Untyped = from(Probe);
  if (where !== undefined) query = query.where((r: Untyped) => where.expression(r));
  if (group !== undefined) {
    const [key, summed] = group;
    return query
      .groupBy((r: Untyped) => key.expression(r))
      .select((g: Untyped) => ({
        key: g.key,
        rows: g.count(),
        sum: g.sum((r: Untyped) => summed.expression(r)),
        most: g.max((r: Untyped) => summed.expression(r)),
        kinds: g.countDistinct((r: Untyped) => summed.expression(r)),
      }));
  }
  if (order !== undefined) query = query.orderBy((r: Untyped) => order[0].expression(r)[order[1] ? "desc" : "asc"]);
  if (limit !== undefined) query = query.limit(limit);
  return query.select((r: Untyped) => Object.fromEntries(values.map((value, i) => [`v${i}`, value.expression(r)])));
}

function expected({ where, order, limit, values, group }: Spec): readonly unknown[] {
  const rows = probeRows.filter((row) => where === undefined || where.value(row) === true);
  if (group !== undefined) {
    const [key, summed] = group;
    const found = new Map<number | null, ProbeRow[]>();
    for (const row of rows) found.set(key.value(row), [...(found.get(key.value(row)) ?? []), row]);
    return [...found]
      .sort(([a], [b]) => compare(a, b))
      .map(([value, of]) => {
        const numbers = of.map((row) => summed.value(row)).filter((part) => part !== null);
        return {
          key: value,
          rows: of.length,
          sum: numbers.length === 0 ? null : numbers.reduce((a, b) => a + b, 0),
          most: numbers.length === 0 ? null : Math.max(...numbers),
          kinds: new Set(numbers).size,
        };
      });
  }
  const descending = order?.[1] ?? false;
  const sorted = [...rows].sort((a, b) => {
    const sign = order === undefined ? 0 : compare(order[0].value(a), order[0].value(b));
    return (descending ? -1 : 1) * (sign === 0 ? a.id - b.id : sign);
  });
  return sorted.slice(0, limit).map((row) => Object.fromEntries(values.map((value, i) => [`v${i}`, value.value(row)])));
}

const runs = Number(process.env.GEMACH_QUERIES ?? 1600);

test(`${runs} random queries of expressions give what plain code gives, on every engine`, async () => {
  await fc.assert(
    fc.asyncProperty(queries, async (spec) => {
      const rows = expected(spec);
      for (const engine of all()) {
        const [db, query] = [engine.connect(), queryOf(spec)];
        const found = await db.list(query).catch((error: unknown) => error);
        const sent = preview(query, { dialect: db.dialect });
        expect(found, `${engine.name}: ${sent.map(({ text, parameters }) => `${text} ${JSON.stringify(parameters)}`).join("\n")}`).toStrictEqual(rows);
      }
    }),
    { numRuns: runs, seed: Number(process.env.GEMACH_SEED ?? 5) },
  );
}, 3_600_000);
