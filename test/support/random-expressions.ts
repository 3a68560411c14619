import fc from "fast-check";
import { and, coalesce, greatest, least, not, nullIf, or, when } from "../../src/index.js";
import type { ProbeRow } from "./probe.js";

// biome-ignore lint/suspicious/noExplicitAny: random expressions are put together without types
type Untyped = any;

/** An expression with two meanings: the library's, and what it is of a row in plain code. */
export interface Meant<T> {
  readonly expression: (r: Untyped) => Untyped;
  readonly value: (row: ProbeRow) => T | null;
}
type Wild<T> = fc.Arbitrary<Meant<T>>;

const column = <T>(name: keyof ProbeRow): Wild<T> => fc.constant({ expression: (r) => r[name], value: (row) => row[name] as T | null });

type Of<T> = readonly [parts: readonly Wild<Untyped>[], expression: (...given: Untyped[]) => Untyped, value: (...given: Untyped[]) => T | null];

/** A function of one, two or three others; missing where one of them is. */
const of = <T>([parts, expression, value]: Of<T>): Wild<T> =>
  fc.tuple(...parts).map((meant) => ({
    expression: (r) => expression(...meant.map((part) => part.expression(r))),
    value: (row) => {
      const given = meant.map((part) => part.value(row));
      return given.includes(null) ? null : value(...given);
    },
  }));
/** The same, told of missing values too. */
const ofAny = <T>([parts, expression, value]: Of<T>): Wild<T> =>
  fc.tuple(...parts).map((meant) => ({
    expression: (r) => expression(...meant.map((part) => part.expression(r))),
    value: (row) => value(...meant.map((part) => part.value(row))),
  }));
const plain = <T>(values: fc.Arbitrary<T>): Wild<T> => values.map((value) => ({ expression: () => value, value: () => value }));

const units = (decimal: string): bigint => BigInt(decimal.replace(".", ""));
const at2 = (amount: bigint): string => {
  const digits = (amount < 0n ? -amount : amount).toString().padStart(3, "0");
  return `${amount < 0n ? "-" : ""}${digits.slice(0, -2)}.${digits.slice(-2)}`;
};
const lower = (value: string): string => [...value].map((letter) => letter.toLowerCase()).join("");
const characters = (value: string): number => [...value].length;
const days = (day: string): number => Date.parse(`${day}T00:00:00Z`) / 86_400_000;
const byCodePoint = (a: string, b: string): number => Buffer.compare(Buffer.from(a), Buffer.from(b));

const small = plain(fc.integer({ min: -9, max: 9 }));
const words = plain(fc.constantFrom("", "l", "o", "Dr", " ", "a'b", "%", "_", "É", "tool", "\\"));
const amounts = plain(fc.constantFrom("0.00", "1.50", "-2.25", "99.99", "0.01"));

const numbers = (depth: number): Wild<number> => {
  const leaves: Wild<number>[] = [
    column("b"),
    column("id"),
    of([[texts(0)], (t) => t.length(), characters]),
    of([[column<string>("d")], (d) => d.month(), (d: string) => Number(d.slice(5, 7))]),
  ];
  if (depth === 0) return fc.oneof(...leaves);
  const [n, t] = [numbers(depth - 1), texts(depth - 1)];
  return fc.oneof(
    ...leaves,
    of([[n, n], (a, b) => a.plus(b), (a, b) => a + b]),
    of([[n, small], (a, b) => a.minus(b), (a, b) => a - b]),
    of([[n, small], (a, b) => a.times(b), (a, b) => a * b + 0]),
    of([[n, n], (a, b) => a.dividedBy(b), (a, b) => (b === 0 ? null : Math.trunc(a / b) + 0)]),
    of([[n, small], (a, b) => a.remainder(b), (a, b) => (b === 0 ? null : (a % b) + 0)]),
    of([[n], (a) => a.negated(), (a) => -a + 0]),
    of([[n], (a) => a.absolute(), Math.abs]),
    of([[t], (a) => a.length(), characters]),
    of([[column<string>("d"), column<string>("e")], (a, b) => a.daysSince(b), (a, b) => days(a) - days(b)]),
    of([[n, n, small], (a, b, c) => least(a, b, c), (a, b, c) => Math.min(a, b, c)]),
    of([[n, small], (a, b) => greatest(a, b), (a, b) => Math.max(a, b)]),
    ofAny([[n, small], (a, b) => coalesce(a, b), (a, b) => a ?? b]),
    ofAny([[n, small], (a, b) => nullIf(a, b), (a, b) => (a === b ? null : a)]),
    ofAny([[predicates(depth - 1), n, small], (p, a, b) => when(p, a).otherwise(b), (p, a, b) => (p ? a : b)]),
  );
};

const texts = (depth: number): Wild<string> => {
  const leaves: Wild<string>[] = [column("s"), column("t"), of([[column<string>("c")], (c) => c.asText(), (c: string) => c])];
  if (depth === 0) return fc.oneof(...leaves);
  const t = texts(depth - 1);
  return fc.oneof(
    ...leaves,
    of([[t, words], (a, b) => a.concat(b), (a, b) => a + b]),
    of([[t, t], (a, b) => a.concat(b, "/"), (a, b) => `${a}${b}/`]),
    of([[t], (a) => a.lower(), lower]),
    of([[t], (a) => a.trim(), (a) => a.replace(/^ +| +$/g, "")]),
    of([[t, words, words], (a, b, c) => a.replace(b, c), (a, b, c) => (b === "" ? a : a.replaceAll(b, () => c))]),
    fc.tuple(t, fc.integer({ min: 1, max: 6 }), fc.integer({ min: 0, max: 5 })).map(([a, from, length]) => ({
      expression: (r: Untyped) => a.expression(r).substring(from, length),
      value: (row: ProbeRow) => {
        const value = a.value(row);
        return value === null ? null : [...value].slice(from - 1, from - 1 + length).join("");
      },
    })),
    of([[numbers(depth - 1)], (a) => a.asText(), String]),
    ofAny([[t, words], (a, b) => coalesce(a, b), (a, b) => a ?? b]),
    ofAny([[predicates(depth - 1), t, words], (p, a, b) => when(p, a).otherwise(b), (p, a, b) => (p ? a : b)]),
  );
};

/** Decimals with two digits after the point. */
const decimals = (depth: number): Wild<string> => {
  const leaf = column<string>("q");
  if (depth === 0) return leaf;
  const d = decimals(depth - 1);
  return fc.oneof(
    leaf,
    of([[d, amounts], (a, b) => a.plus(b), (a, b) => at2(units(a) + units(b))]),
    of([[d, d], (a, b) => a.minus(b), (a, b) => at2(units(a) - units(b))]),
    of([
      [d, amounts],
      (a, b) => a.times(b).rounded(2),
      (a, b) => {
        const product = units(a) * units(b);
        return at2((product + (product < 0n ? -50n : 50n)) / 100n);
      },
    ]),
    of([[d], (a) => a.absolute(), (a) => a.replace("-", "")]),
    of([[d], (a) => a.negated(), (a) => at2(-units(a))]),
    ofAny([[d, amounts], (a, b) => coalesce(a, b), (a, b) => a ?? b]),
    ofAny([[predicates(depth - 1), d, amounts], (p, a, b) => when(p, a).otherwise(b), (p, a, b) => (p ? a : b)]),
  );
};

const signs = {
  is: (s: number) => s === 0,
  below: (s: number) => s < 0,
  above: (s: number) => s > 0,
  atMost: (s: number) => s <= 0,
  atLeast: (s: number) => s >= 0,
};

/** A comparison: false where a value is missing; `isNot` is true then. */
const comparison = <T>(left: Wild<T>, right: Wild<T>, compare: (a: T, b: T) => number): Wild<boolean> =>
  fc.oneof(
    fc.tuple(left, right, fc.constantFrom(...(Object.keys(signs) as (keyof typeof signs)[]))).map(([a, b, name]) => ({
      expression: (r: Untyped) => a.expression(r)[name](b.expression(r)),
      value: (row: ProbeRow) => {
        const [x, y] = [a.value(row), b.value(row)];
        return x !== null && y !== null && signs[name](compare(x, y));
      },
    })),
    ofAny([[left, right], (a, b) => a.isNot(b), (a, b) => a === null || b === null || compare(a, b) !== 0]),
    ofAny([[left], (a) => a.is(null), (a) => a === null]),
  );

/** Predicates, which are never missing. */
export const predicates = (depth: number): Wild<boolean> => {
  const [n, t, d] = [numbers(Math.max(0, depth - 1)), texts(Math.max(0, depth - 1)), decimals(Math.max(0, depth - 1))];
  const leaves: Wild<boolean>[] = [
    comparison(n, fc.oneof(small, n), (a, b) => a - b),
    comparison(t, fc.oneof(words, t), byCodePoint),
    comparison(d, fc.oneof(amounts, d), (a, b) => Number(units(a) - units(b))),
    ofAny([[t, words], (a, b) => a.contains(b), (a, b) => a?.includes(b) ?? false]),
    ofAny([[t, fc.oneof(words, t)], (a, b) => a.startsWith(b), (a, b) => a !== null && b !== null && a.startsWith(b)]),
    ofAny([[t, fc.oneof(words, t)], (a, b) => a.endsWith(b), (a, b) => a !== null && b !== null && a.endsWith(b)]),
    fc.tuple(n, fc.array(fc.integer({ min: -9, max: 9 }), { maxLength: 4 })).map(([a, list]) => ({
      expression: (r: Untyped) => a.expression(r).oneOf(list),
      value: (row: ProbeRow) => list.includes(a.value(row) as number),
    })),
    fc.constant({ expression: (r: Untyped) => r.f.is(true), value: (row: ProbeRow) => row.f === true }),
  ];
  if (depth === 0) return fc.oneof(...leaves);
  const p = predicates(depth - 1);
  return fc.oneof(
    ...leaves,
    ofAny([[p, p], (a, b) => and(a, b), (a, b) => Boolean(a && b)]),
    ofAny([[p, p], (a, b) => or(a, b), (a, b) => Boolean(a || b)]),
    ofAny([[p], (a) => not(a), (a) => !a]),
    ofAny([[p, p], (a, b) => a.is(b), (a, b) => a !== null && a === b]),
  );
};

export const expressions = (depth: number): Wild<unknown> => fc.oneof(numbers(depth), texts(depth), decimals(depth), predicates(depth)) as Wild<unknown>;
export { byCodePoint, decimals, numbers, texts };
