import fc from "fast-check";
import { except, from, intersect, named, union, unionAll } from "../../src/index.js";
import { Probe, type ProbeRow, probeRows } from "./probe.js";
import { byCodePoint, decimals, type Meant, numbers, predicates, texts } from "./random-expressions.js";

// biome-ignore lint/suspicious/noExplicitAny: random queries are put together without types
type Untyped = any;

/** Missing values first, texts by code point. */
export const compare = (a: unknown, b: unknown): number => {
  if (a === b) return 0;
  if (a === null) return -1;
  if (b === null) return 1;
  return typeof a === "string" ? byCodePoint(a, b as string) : Number(a) - Number(b);
};

/** Rows of a query by an expression, those that it does not tell apart by their columns in turn, in its direction. */
export const sorted = <R extends Readonly<Record<string, unknown>>>(rows: readonly R[], value?: (row: R) => unknown, descending = false): R[] =>
  [...rows].sort((a, b) => {
    let sign = value === undefined ? 0 : compare(value(a), value(b));
    for (const name of Object.keys(a)) if (sign === 0) sign = name === "q" ? compare(Number(a.q), Number(b.q)) : compare(a[name], b[name]);
    return descending ? -sign : sign;
  });

export const sometimes = <T>(arbitrary: fc.Arbitrary<T>) => fc.option(arbitrary, { nil: undefined });
export const orders = sometimes(fc.tuple(numbers(2), fc.boolean()));

/** A source of rows, each like a probe's, with two meanings: a query, and plain rows. */
export interface Rows {
  readonly query: () => Untyped;
  /** What stands for it in a join. */
  readonly joined: () => Untyped;
  readonly rows: readonly ProbeRow[];
}
const rowsOf = (query: () => Untyped, rows: readonly ProbeRow[]): Rows => ({ query, joined: query, rows });

export const passed = ["id", "b", "s", "t", "c", "d", "e", "q", "f"] as const;
const base: Rows = {
  query: () => from(Probe),
  joined: () => Probe,
  rows: probeRows.map((row) => Object.fromEntries(passed.map((name) => [name, row[name]])) as unknown as ProbeRow),
};

/** Columns of a probe with other values in them. */
export const changes = fc.record({
  b: sometimes(numbers(2)),
  s: sometimes(texts(1)),
  t: sometimes(texts(2)),
  q: sometimes(decimals(2)),
  f: sometimes(predicates(1)),
});
type Changes = typeof changes extends fc.Arbitrary<infer T> ? T : never;

/** Numbers so large that an engine's own type would not hold them are another test's. */
export const fits = (rows: readonly Readonly<Record<string, unknown>>[]): boolean =>
  rows.every((row) => Object.values(row).every((value) => typeof value !== "number" || Math.abs(value) < 2 ** 30));

export const meantBy = (given: Changes, name: string): Meant<unknown> =>
  (given as Record<string, Meant<unknown> | undefined>)[name] ?? { expression: (r) => r[name], value: (row) => (row as Untyped)[name] };

const derived = (inner: fc.Arbitrary<Rows>): fc.Arbitrary<Rows> =>
  fc
    .record({ inner, where: sometimes(predicates(2)), given: changes, order: orders, limit: sometimes(fc.nat({ max: 6 })) })
    .map(({ inner, where, given, order, limit }) => {
      const query = () => {
        let query = inner.query();
        if (where !== undefined) query = query.where((r: Untyped) => where.expression(r));
        if (order !== undefined) query = query.orderBy((r: Untyped) => order[0].expression(r)[order[1] ? "desc" : "asc"]);
        if (limit !== undefined) query = query.limit(limit);
        return from(query.select((r: Untyped) => Object.fromEntries(passed.map((name) => [name, meantBy(given, name).expression(r)]))));
      };
      const kept = inner.rows.filter((row) => where === undefined || where.value(row) === true);
      const cut = sorted(kept, order?.[0].value, order?.[1]).slice(0, limit);
      return rowsOf(
        query,
        cut.map((row) => Object.fromEntries(passed.map((name) => [name, meantBy(given, name).value(row)])) as unknown as ProbeRow),
      );
    });

const key = (row: ProbeRow): string => JSON.stringify(row);
export const once = (rows: readonly ProbeRow[]): readonly ProbeRow[] => [...new Map(rows.map((row) => [key(row), row])).values()];

/** Rows of two queries made those of one. */
const combined = (part: fc.Arbitrary<Rows>): fc.Arbitrary<Rows> =>
  fc.tuple(part, part, fc.constantFrom("union", "unionAll", "intersect", "except")).map(([left, right, name]): Rows => {
    const inRight = new Set(right.rows.map(key));
    switch (name) {
      case "union":
        return rowsOf(() => union(left.query(), right.query()), once([...left.rows, ...right.rows]));
      case "unionAll":
        return rowsOf(() => unionAll(left.query(), right.query()), [...left.rows, ...right.rows.map((row) => ({ ...row }))]);
      case "intersect":
        return rowsOf(() => intersect(left.query(), right.query()), once(left.rows.filter((row) => inRight.has(key(row)))));
      default:
        return rowsOf(() => except(left.query(), right.query()), once(left.rows.filter((row) => !inRight.has(key(row)))));
    }
  });

/** Sources of a depth: a table, a query of such, one with a name, or two put together. */
export const sources = (depth: number): fc.Arbitrary<Rows> => {
  if (depth === 0) return fc.constant(base);
  const one = derived(sources(depth - 1));
  const withName = fc.tuple(one, fc.constantFrom("chosen", "probe")).map(([{ query, rows }, name]) => rowsOf(() => named(name, query()), rows));
  return fc.oneof({ weight: 2, arbitrary: fc.constant(base) }, { weight: 2, arbitrary: one }, withName, combined(one));
};
