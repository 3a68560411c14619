import { beforeAll, expect, test } from "vitest";
import {
  and,
  type ColumnKind,
  type Comparable,
  coalesce,
  createTables,
  type Expression,
  from,
  greatest,
  integer,
  least,
  literal,
  not,
  nullIf,
  numeric,
  or,
  type Predicate,
  text,
  when,
} from "../src/index.js";
import { useEngines } from "./support/engines.js";
import { Probe, type ProbeRow, probeRows, probes } from "./support/probe.js";

const { all } = useEngines(true);
beforeAll(async () => {
  for (const engine of all()) {
    const db = engine.connect();
    await createTables(db, probes);
    await db.insert(Probe, probeRows);
  }
});

type R = ProbeRow;
/** Works a value out of what is there; missing where any of it is. */
const of = <T extends readonly unknown[], V>(values: T, work: (...given: { [P in keyof T]: NonNullable<T[P]> }) => V): V | null =>
  values.includes(null) ? null : work(...(values as never));
const at = (scale: number, units: bigint): string => {
  const digits = (units < 0n ? -units : units).toString().padStart(scale + 1, "0");
  return `${units < 0n ? "-" : ""}${digits.slice(0, digits.length - scale)}${scale === 0 ? "" : `.${digits.slice(digits.length - scale)}`}`;
};
const units = (decimal: string): bigint => BigInt(decimal.replace(".", ""));
const days = (day: string): number => Date.parse(`${day}T00:00:00Z`) / 86_400_000;
const dayAt = (count: number): string => new Date(count * 86_400_000).toISOString().slice(0, 10);
const upper = (value: string): string => [...value].map((letter) => ([...letter.toUpperCase()].length === 1 ? letter.toUpperCase() : letter)).join("");
const half = (value: number): number => Math.sign(value) * Math.floor(Math.abs(value) + 0.5) + 0;

const start = from(Probe);
type Ref = Parameters<Parameters<typeof start.where>[0]>[0];

/** An expression, and its value for a row worked out in plain code: of what random expressions do not make. */
const values: readonly (readonly [what: string, expression: (r: Ref) => Expression, expected: (r: R) => unknown])[] = [
  // Numbers alone, which stand for a column where an order has them by themselves.
  ["the opposite of a number", () => literal(integer, 2).negated(), () => -2],
  ["a number at another scale", () => literal(numeric(3, 0), "1").asNumeric(2), () => "1.00"],
  ["a number rounded", () => literal(numeric(3, 0), "2").rounded(0), () => "2"],
  ["the sum of two numbers", () => literal(integer, 1).plus(1), () => 2],
  ["a sum of 64 bits", (r) => r.g.plus(2n), (r) => r.g + 2n],
  ["a product of 64 bits", (r) => r.g.dividedBy(2n).times(2n), (r) => (r.g / 2n) * 2n],
  ["a remainder of 64 bits", (r) => r.g.remainder(10n), (r) => r.g % 10n],
  ["an integer as 64 bits", (r) => r.a.asBigint().times(4n), (r) => BigInt(r.a) * 4n],
  ["a sum of doubles", (r) => r.x.plus(r.y), (r) => of([r.y], (y) => r.x + y)],
  ["a product of doubles", (r) => r.x.times(0.5), (r) => r.x * 0.5 + 0],
  ["a quotient of doubles", (r) => r.x.dividedBy(r.y), (r) => of([r.y], (y) => (y === 0 ? null : r.x / y))],
  ["an integer as a double divides with its fraction", (r) => r.a.asDouble().dividedBy(2), (r) => r.a / 2],
  ["a double rounded, halves away from zero", (r) => r.x.rounded(), (r) => half(r.x)],
  ["a double rounded to a digit", (r) => r.y.rounded(1), (r) => of([r.y], (y) => half(y * 10) / 10)],
  ["the whole number below", (r) => r.x.floor(), (r) => Math.floor(r.x)],
  ["the whole number above", (r) => r.x.ceiling(), (r) => Math.ceil(r.x) + 0],
  ["a sum of decimals", (r) => r.p.plus(r.q), (r) => of([r.q], (q) => at(3, units(r.p) + units(q) * 10n))],
  ["a decimal and a value", (r) => r.q.plus("0.125"), (r) => of([r.q], (q) => at(3, units(q) * 10n + 125n))],
  ["a difference of decimals", (r) => r.q.minus(r.p), (r) => of([r.q], (q) => at(3, units(q) * 10n - units(r.p)))],
  ["a product of decimals has the digits of both", (r) => r.p.times("1.19"), (r) => at(5, units(r.p) * 119n)],
  ["a decimal rounded, halves away from zero", (r) => r.p.rounded(2), (r) => at(2, (units(r.p) + (units(r.p) < 0n ? -5n : 5n)) / 10n)],
  ["a decimal as a double", (r) => r.p.asDouble(), (r) => Number(r.p)],
  ["an integer as a decimal", (r) => r.a.asNumeric(2), (r) => at(2, BigInt(r.a) * 100n)],
  ["a decimal with more digits", (r) => r.q.asNumeric(4), (r) => of([r.q], (q) => at(4, units(q) * 100n))],
  ["a decimal as text", (r) => r.q.asText(), (r) => r.q],
  ["64 bits as text", (r) => r.g.asText(), (r) => String(r.g)],
  ["capitals", (r) => r.s.upper(), (r) => upper(r.s)],
  ["capitals of what may be missing", (r) => r.t.upper(), (r) => of([r.t], upper)],
  ["without blanks at its ends", (r) => r.s.trim(), (r) => r.s.trim()],
  ["a part beyond the end", (r) => r.s.substring(40, 3), () => ""],
  ["a text replaced", (r) => r.s.replace("l", "LL"), (r) => r.s.replaceAll("l", "LL")],
  ["a text replaced by another column's", (r) => r.s.replace("o", r.t), (r) => of([r.t], (t) => r.s.replaceAll("o", t))],
  ["the year of a day", (r) => r.d.year(), (r) => Number(r.d.slice(0, 4))],
  ["the day of the month", (r) => r.e.dayOfMonth(), (r) => of([r.e], (e) => Number(e.slice(8)))],
  ["the day of the week", (r) => r.d.weekday(), (r) => ((((days(r.d) + 3) % 7) + 7) % 7) + 1],
  ["the day of the week of an instant", (r) => r.m.weekday(), (r) => ((((days(r.m.slice(0, 10)) + 3) % 7) + 7) % 7) + 1],
  ["the year of an instant", (r) => r.m.year(), (r) => Number(r.m.slice(0, 4))],
  ["the month of an instant", (r) => r.m.month(), (r) => Number(r.m.slice(5, 7))],
  ["the hour of an instant", (r) => r.m.hour(), (r) => Number(r.m.slice(11, 13))],
  ["the minute of an instant", (r) => r.m.minute(), (r) => Number(r.m.slice(14, 16))],
  ["the second of an instant, without its fraction", (r) => r.m.second(), (r) => Number(r.m.slice(17, 19))],
  ["the hour of a time", (r) => r.h.hour(), (r) => of([r.h], (h) => Number(h.slice(0, 2)))],
  ["the second of a time", (r) => r.h.second(), (r) => of([r.h], (h) => Number(h.slice(6, 8)))],
  ["the day of an instant", (r) => r.m.toDay(), (r) => r.m.slice(0, 10)],
  ["days later", (r) => r.d.plusDays(-31), (r) => dayAt(days(r.d) - 31)],
  [
    "days of a column later",
    (r) => when(r.d.year().below(9999), r.d).otherwise("2000-01-01").plusDays(r.b),
    (r) => of([r.b], (b) => dayAt(days(r.d < "9999" ? r.d : "2000-01-01") + b)),
  ],
  ["days since a day", (r) => r.d.daysSince("2000-03-01"), (r) => days(r.d) - days("2000-03-01")],
  [
    "seconds later",
    (r) => when(r.m.year().above(1), r.m).otherwise("2020-01-01T00:00:00Z").plusSeconds(-3601),
    (r) => {
      const from = r.m > "0002" ? r.m : "2020-01-01T00:00:00.000000Z";
      return `${new Date(Date.parse(`${from.slice(0, 19)}Z`) - 3_601_000).toISOString().slice(0, 19)}${from.slice(19)}`;
    },
  ],
  [
    "seconds of a column later",
    (r) => r.m.plusSeconds(r.b.absolute()),
    (r) => of([r.b], (b) => `${new Date(Date.parse(`${r.m.slice(0, 19)}Z`) + Math.abs(b) * 1000).toISOString().slice(0, 19)}${r.m.slice(19)}`),
  ],
  [
    "whole seconds between",
    (r) => r.m.secondsSince("2000-01-01T00:00:00.5Z"),
    (r) => {
      const micros = BigInt(Date.parse(`${r.m.slice(0, 19)}Z`)) * 1000n + BigInt(r.m.slice(20, 26));
      return Number((micros - BigInt(Date.parse("2000-01-01T00:00:00.500Z")) * 1000n) / 1_000_000n);
    },
  ],
  ["the beginning of the day", (r) => r.m.startOfDay(), (r) => `${r.m.slice(0, 10)}T00:00:00.000000Z`],
  ["the beginning of the hour", (r) => r.m.startOfHour(), (r) => `${r.m.slice(0, 13)}:00:00.000000Z`],
  ["the first of the month", (r) => r.d.startOfMonth(), (r) => `${r.d.slice(0, 8)}01`],
  ["the first of the year", (r) => r.e.startOfYear(), (r) => of([r.e], (e) => `${e.slice(0, 4)}-01-01`)],
  ["a day as text", (r) => r.d.asText(), (r) => r.d],
  ["the first decimal that is there", (r) => coalesce(r.q, r.p), (r) => (r.q === null ? r.p : `${r.q}0`)],
  ["missing where a decimal is equal", (r) => nullIf(r.q, "3"), (r) => (r.q === "3.00" ? null : r.q)],
  ["the greatest text", (r) => greatest(r.s, "M"), (r) => (r.s > "M" ? r.s : "M")],
  ["the least decimal", (r) => least(r.p, r.q), (r) => of([r.q], (q) => (Number(r.p) <= Number(q) ? r.p : `${q}0`))],
  ["a case of texts", (r) => when(r.a.above(5), "many").when(r.a.above(0), "some").otherwise("none"), (r) => (r.a > 5 ? "many" : r.a > 0 ? "some" : "none")],
  ["a case without an end", (r) => when(r.t.is("drill"), r.a).otherwise(null), (r) => (r.t === "drill" ? r.a : null)],
  ["a case of decimals", (r) => when(r.f, r.q).otherwise(r.p), (r) => (r.f ? of([r.q], (q) => `${q}0`) : r.p)],
  ["a case of days", (r) => when(r.e.is(null), r.d).otherwise("2020-01-01"), (r) => (r.e === null ? r.d : "2020-01-01")],
  ["a literal", () => literal(text, "it's"), () => "it's"],
  ["a decimal literal", (r) => literal(numeric(8, 2), "1.5").times(r.q), (r) => of([r.q], (q) => at(4, 150n * units(q)))],
];

/** A predicate, and for which rows it is true. */
const predicates: readonly (readonly [what: string, predicate: (r: Ref) => Predicate, expected: (r: R) => boolean])[] = [
  ["contains tells capitals", (r) => r.t.contains("DRILL"), () => false],
  ["contains a wildcard that stands for itself", (r) => r.s.contains("0% off_n"), (r) => r.id === 3],
  ["contains one character's wildcard", (r) => r.s.contains("o_f"), () => false],
  ["contains brackets and stars", (r) => r.s.contains("[x]*?"), (r) => r.id === 3],
  ["contains quotes", (r) => r.s.contains("'b\"c`"), (r) => r.id === 6],
  ["contains another column", (r) => r.s.contains(r.t), (r) => r.t !== null && r.s.includes(r.t)],
  ["ends with emoji and more", (r) => r.s.contains("🔧 tool"), (r) => r.id === 5],
  ["like with both wildcards", (r) => r.s.like("_r%l"), (r) => r.id === 1],
  ["like with escaped wildcards", (r) => r.s.like("50\\% off\\_now%"), (r) => r.id === 3],
  ["like of one character, an emoji", (r) => r.s.like(" _ tool "), (r) => r.id === 5],
  ["a text in any case", (r) => r.s.ignoringCase().is("DRILL"), (r) => r.id === 1],
  ["a text in any case, with accents", (r) => r.t.ignoringCase().is("élan"), (r) => r.id === 4],
  ["not a text in any case", (r) => r.t.ignoringCase().isNot("DRILL"), (r) => r.t !== "drill"],
  ["contains in any case", (r) => r.s.ignoringCase().contains("ÉLAN ǆ"), (r) => r.id === 4],
  ["starts in any case", (r) => r.s.ignoringCase().startsWith("dR"), (r) => r.id === 1],
  ["ends in any case", (r) => r.s.ignoringCase().endsWith("LL"), (r) => r.id === 1],
  ["a decimal expression below a value", (r) => r.p.plus("0.001").below("3"), (r) => units(r.p) + 1n < 3000n],
  ["a decimal above another", (r) => r.p.above(r.q), (r) => r.q !== null && units(r.p) > units(r.q) * 10n],
  ["64 bits above", (r) => r.g.plus(1n).above(9_007_199_254_740_993n), (r) => r.g + 1n > 9_007_199_254_740_993n],
  ["an expression is none of several", (r) => r.t.lower().notOneOf(["drill", ""]), (r) => !["drill", ""].includes(r.t ?? "x")],
  ["a length between", (r) => r.s.length().between(1, 8), (r) => r.s.length >= 1 && [...r.s].length <= 8],
  ["a weekday", (r) => r.d.weekday().atLeast(6), (r) => [0, 6].includes(new Date(r.d).getUTCDay())],
  ["none of none", () => and(), () => true],
  ["one of none", () => or(), () => false],
];

test.each(values)("%s", async (_, expression, expected) => {
  for (const engine of all()) expect(await engine.connect().list(start.select(expression)), engine.name).toStrictEqual(probeRows.map(expected));
});

test.each(values)("%s, as an order", async (_, expression, expected) => {
  const query = start.orderBy((r) => [(expression(r) as Comparable<unknown, ColumnKind>).desc, r.id.asc]).select((r) => ({ id: r.id, value: expression(r) }));
  const answers: unknown[] = [];
  for (const engine of all()) answers.push(await engine.connect().list(query));
  expect(new Set((answers[0] as { value: unknown }[]).map(({ value }) => value))).toEqual(new Set(probeRows.map(expected)));
  for (const answer of answers) expect(answer).toStrictEqual(answers[0]);
});

test.each(predicates)("where %s, the opposite, and both as values", async (_, predicate, expected) => {
  const ids = (rows: readonly R[]) => rows.map(({ id }) => id);
  for (const engine of all()) {
    const db = engine.connect();
    const list = (where: (r: Ref) => Predicate) => db.list(start.where(where).select((r) => r.id));
    expect(await list(predicate), engine.name).toEqual(ids(probeRows.filter(expected)));
    expect(await list((r) => not(predicate(r))), `not, ${engine.name}`).toEqual(ids(probeRows.filter((r) => !expected(r))));
    const truths = await db.list(start.select((r) => ({ yes: predicate(r), no: not(predicate(r)) })));
    expect(truths, `values, ${engine.name}`).toEqual(probeRows.map((r) => ({ yes: expected(r), no: !expected(r) })));
  }
});
