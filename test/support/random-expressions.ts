import fc from "fast-check";
import { and, coalesce, date, greatest, integer, least, literal, not, nullIf, or, text, when } from "../../src/index.js";
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

const literals = <T>(kind: Untyped, values: fc.Arbitrary<T>): Wild<T> =>
  values.map((value) => ({ expression: () => literal(kind, value), value: () => value }));

const units = (decimal: string): bigint => BigInt(decimal.replace(".", ""));
const at2 = (amount: bigint): string => {
  const digits = (amount < 0n ? -amount : amount).toString().padStart(3, "0");
  return `${amount < 0n ? "-" : ""}${digits.slice(0, -2)}.${digits.slice(-2)}`;
};
const lower = (value: string): string => [...value].map((letter) => letter.toLowerCase()).join("");
const characters = (value: string): number => [...value].length;
const days = (day: string): number => Date.parse(`${day}T00:00:00Z`) / 86_400_000;
const dayAt = (number: number): string => new Date(number * 86_400_000).toISOString().slice(0, 10);
/** So many months later; a day that the month does not have is its last. */
const monthsOn = (day: string, months: number): string => {
  const [year = 0, month = 0, date = 0] = day.split("-").map(Number);
  const last = new Date(Date.UTC(year, month + months, 0)).getUTCDate();
  return new Date(Date.UTC(year, month - 1 + months, Math.min(date, last))).toISOString().slice(0, 10);
};
/** Whole months: as many as fit between two days. */
const monthsFrom = (from: string, to: string): number => {
  const forward = days(to) >= days(from);
  const [a, b] = forward ? [from, to] : [to, from];
  const count = (Number(b.slice(0, 4)) - Number(a.slice(0, 4))) * 12 + Number(b.slice(5, 7)) - Number(a.slice(5, 7));
  const whole = count - (Number(b.slice(8)) < Number(a.slice(8)) ? 1 : 0);
  return forward ? whole + 0 : -whole + 0;
};
const half = (dividend: bigint, divisor: bigint): bigint => {
  const [a, b] = [dividend < 0n ? -dividend : dividend, divisor < 0n ? -divisor : divisor];
  const quotient = (a + b / 2n) / b;
  return dividend < 0n === divisor < 0n ? quotient : -quotient;
};

const byCodePoint = (a: string, b: string): number => Buffer.compare(Buffer.from(a), Buffer.from(b));

const small = plain(fc.integer({ min: -9, max: 9 }));
const words = plain(fc.constantFrom("", "l", "o", "Dr", " ", "a'b", "%", "_", "É", "tool", "\\"));
const someDays = plain(fc.constantFrom("2024-01-31", "2024-02-29", "2025-12-01", "2026-08-30"));
const amounts = plain(fc.constantFrom("0.00", "1.50", "-2.25", "99.99", "0.01"));

const numbers = (depth: number): Wild<number> => {
  const leaves: Wild<number>[] = [
    column("b"),
    column("id"),
    literals(integer, fc.integer({ min: -9, max: 9 })),
    of([[texts(0)], (t) => t.length(), characters]),
    of([[column<string>("d")], (d) => d.month(), (d: string) => Number(d.slice(5, 7))]),
    of([[column<string>("d")], (d) => d.quarter(), (d: string) => Math.ceil(Number(d.slice(5, 7)) / 3)]),
    of([[column<string>("d"), column<string>("e")], (a, b) => a.monthsSince(b), (a: string, b: string) => monthsFrom(b, a)]),
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
    of([[t], (a) => a.toInteger(), (a: string) => (/^[+-]?\d{1,9}$/.test(a) ? Number(a) + 0 : null)]),
    of([[column<string>("d"), column<string>("e")], (a, b) => a.daysSince(b), (a, b) => days(a) - days(b)]),
    of([[n, n, small], (a, b, c) => least(a, b, c), (a, b, c) => Math.min(a, b, c)]),
    of([[n, small], (a, b) => greatest(a, b), (a, b) => Math.max(a, b)]),
    ofAny([[n, small], (a, b) => coalesce(a, b), (a, b) => a ?? b]),
    ofAny([[n, small], (a, b) => nullIf(a, b), (a, b) => (a === b ? null : a)]),
    ofAny([[predicates(depth - 1), n, small], (p, a, b) => when(p, a).otherwise(b), (p, a, b) => (p ? a : b)]),
  );
};

const texts = (depth: number): Wild<string> => {
  const d = column<string>("d");
  const leaves: Wild<string>[] = [
    literals(text, fc.constantFrom("", "l", "Dr", "a'b", "%", "É")),
    ...[column<string>("s"), column<string>("t"), of([[column<string>("c")], (c) => c.asText(), (c: string) => c])],
    of([[someDays, small], (a, n) => literal(date, a).plusMonths(n).asText(), monthsOn]),
    of([[d], (a) => a.startOfWeek().asText(), (a) => dayAt(days(a) - ((new Date(days(a) * 86_400_000).getUTCDay() + 6) % 7))]),
    of([[d], (a) => a.startOfQuarter().asText(), (a) => `${a.slice(0, 5)}${["01", "04", "07", "10"][Math.floor((Number(a.slice(5, 7)) - 1) / 3)]}-01`]),
    of([[d, words], (a, b) => a.asText().concat(b).toDay().asText(), (a, b) => (b === "" ? a : null)]),
  ];
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
    of([[d, small], (a, b) => a.dividedBy(literal(integer, b), { scale: 2 }), (a, b) => (b === 0 ? null : at2(half(units(a), BigInt(b))))]),
    of([[d, d], (a, b) => a.dividedBy(b, { scale: 2 }), (a, b) => (units(b) === 0n ? null : at2(half(units(a) * 100n, units(b))))]),
    of([[numbers(0), d], (a, b) => a.plus(b), (a, b) => at2(BigInt(a) * 100n + units(b))]),
    of([[d, numbers(0)], (a, b) => a.minus(b), (a, b) => at2(units(a) - BigInt(b) * 100n)]),
    of([[d], (a) => a.asText().toNumeric(12, 2), (a) => a]),
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
export { at2, byCodePoint, decimals, half, numbers, texts, units };
