import {
  addDecimals,
  atScale,
  decimalIn,
  decimalText,
  divideDecimals,
  isDay,
  jsonPart,
  lowerCase,
  monthsBetween,
  monthsLater,
  multiplyDecimals,
  parseDecimal,
  type Scalar,
  secondsBetween,
  secondsLater,
  upperCase,
  type ValueType,
  wholeIn,
} from "../columns/index.js";
import { compareValues } from "./comparisons.js";

type Numeric = number | bigint;

/** Arithmetic of whole numbers and doubles; decimals go by their digits. */
const arithmetic: Readonly<Record<"plus" | "minus" | "times", (a: Scalar, b: Scalar, type: ValueType) => Scalar>> = {
  plus: (a, b, { kind }) =>
    kind === "numeric"
      ? decimalText(addDecimals(parseDecimal(String(a)), parseDecimal(String(b))))
      : kind === "bigint"
        ? BigInt(a as Numeric) + BigInt(b as Numeric)
        : (a as number) + (b as number),
  minus: (a, b, type) => arithmetic.plus(a, negated(b, type), type),
  times: (a, b, { kind }) =>
    kind === "numeric"
      ? decimalText(multiplyDecimals(parseDecimal(String(a)), parseDecimal(String(b))))
      : kind === "bigint"
        ? BigInt(a as Numeric) * BigInt(b as Numeric)
        : (a as number) * (b as number),
};

function negated(value: Scalar, { kind }: ValueType): Scalar {
  if (kind !== "numeric") return typeof value === "bigint" ? -value : -(value as number) + 0;
  const { units, scale } = parseDecimal(String(value));
  return decimalText({ units: -units, scale });
}

const isNegative = (value: Scalar): boolean =>
  typeof value === "string" ? value.startsWith("-") : (value as Numeric) < 0;

function rounded(value: Scalar, digits: number, { kind }: ValueType): Scalar {
  if (kind === "numeric") return decimalText(atScale(parseDecimal(value as string), digits));
  const [number, factor] = [value as number, 10 ** digits];
  return (Math.sign(number) * Math.floor(Math.abs(number) * factor + 0.5)) / factor + 0;
}

function cast(value: Scalar, from: ValueType, to: ValueType): Scalar {
  if (to.kind === "double") return Number(value);
  if (to.kind === "bigint") return BigInt(value as number);
  if (to.kind === "numeric") return decimalText(atScale(parseDecimal(String(value)), to.scale ?? 0));
  return from.kind === "text" ? value : String(value);
}

const daysOf = (day: string): number => Date.parse(`${day}T00:00:00Z`) / 86_400_000;
const dayAt = (days: number): string => new Date(days * 86_400_000).toISOString().slice(0, 10);
const clockOf = (value: string): string => value.slice(value.search(/[T ]/) + 1);

/** A pattern of `like` as a regular expression. */
const patternOf = (pattern: string): RegExp =>
  new RegExp(
    `^${pattern.replace(/\\(.)|([%_])|([^\\%_]+)/gsu, (_, escaped?: string, wild?: string, plain?: string) =>
      wild === undefined
        ? (escaped ?? plain ?? "").replace(/[\\^$.*+?()[\]{}|/-]/g, "\\$&")
        : wild === "%"
          ? ".*"
          : ".",
    )}$`,
    "su",
  );

type Values = readonly Scalar[];

/** The value of a call in memory, from its operands, the type of the result and the types of the operands. */
type Evaluates = (values: Values, type: ValueType, of: readonly ValueType[]) => Scalar;

/** The calls of one family by their names. Each dialect has a text for each. */
const family = <N extends string>(calls: Readonly<Record<N, Evaluates>>): Readonly<Record<N, Evaluates>> => calls;

const text = (values: Values, at = 0): string => values[at] as string;
const number = (values: Values, at = 0): number => values[at] as number;

/** Of numbers. A quotient or remainder by zero is null. */
export const arithmeticCalls = family({
  plus: ([a = null, b = null], type) => arithmetic.plus(a, b, type),
  minus: ([a = null, b = null], type) => arithmetic.minus(a, b, type),
  times: ([a = null, b = null], type) => arithmetic.times(a, b, type),
  dividedBy: ([a, b], type) => {
    if (Number(b) === 0) return null;
    if (type.kind === "numeric") {
      const exact = divideDecimals(parseDecimal(String(a)), parseDecimal(String(b)), type.scale ?? 0);
      return exact === undefined ? null : decimalText(exact);
    }
    if (typeof a === "bigint") return a / (b as bigint);
    const quotient = (a as number) / (b as number);
    return type.kind === "double" ? quotient : Math.trunc(quotient) + 0;
  },
  remainder: ([a, b]) => {
    if (Number(b) === 0) return null;
    return typeof a === "bigint" ? a % (b as bigint) : ((a as number) % (b as number)) + 0;
  },
  negated: ([a = null], type) => negated(a, type),
  absolute: ([a = null], type) => (isNegative(a) ? negated(a, type) : a),
  rounded: (values, type) => rounded(values[0] as Scalar, number(values, 1), type),
  floor: (values) => Math.floor(number(values)),
  ceiling: (values) => Math.ceil(number(values)) + 0,
});

/** Of texts; positions and lengths count characters (code points), the first is 1. */
export const textCalls = family({
  lower: (values) => lowerCase(text(values)),
  upper: (values) => upperCase(text(values)),
  length: (values) => [...text(values)].length,
  trim: (values) => text(values).replace(/^ +| +$/g, ""),
  concat: (values) => values.join(""),
  substring: (values) =>
    [...text(values)].slice(number(values, 1) - 1, number(values, 1) - 1 + number(values, 2)).join(""),
  replace: (values) =>
    text(values, 1) === "" ? text(values) : text(values).replaceAll(text(values, 1), () => text(values, 2)),
});

/**
 * True if a text has another in it, in the place that the name states; `like` has wildcards. False, not null, if a text
 * is null.
 */
export const matchCalls = family({
  contains: (values) => text(values).includes(text(values, 1)),
  startsWith: (values) => text(values).startsWith(text(values, 1)),
  endsWith: (values) => text(values).endsWith(text(values, 1)),
  like: (values) => patternOf(text(values, 1)).test(text(values)),
});

/** Of days and instants, in UTC. Days of the week count from Monday, 1 (ISO 8601). */
export const dayCalls = family({
  year: (values) => Number(text(values).slice(0, 4)),
  month: (values) => Number(text(values).slice(5, 7)),
  dayOfMonth: (values) => Number(text(values).slice(8, 10)),
  weekday: (values) => ((((daysOf(text(values).slice(0, 10)) + 3) % 7) + 7) % 7) + 1,
  hour: (values) => Number(clockOf(text(values)).slice(0, 2)),
  minute: (values) => Number(clockOf(text(values)).slice(3, 5)),
  second: (values) => Number(clockOf(text(values)).slice(6, 8)),
  secondsSince: (values) => secondsBetween(text(values, 1), text(values)),
  plusSeconds: (values) => secondsLater(text(values), Number(values[1])),
  startOfDay: (values) => `${text(values).slice(0, 10)}T00:00:00.000000Z`,
  startOfHour: (values) => `${text(values).slice(0, 13)}:00:00.000000Z`,
  plusDays: (values) => dayAt(daysOf(text(values)) + Number(values[1])),
  daysSince: (values) => daysOf(text(values)) - daysOf(text(values, 1)),
  startOfMonth: (values) => `${text(values).slice(0, 8)}01`,
  startOfYear: (values) => `${text(values).slice(0, 5)}01-01`,
  startOfWeek: (values) => dayAt(daysOf(text(values)) - ((daysOf(text(values)) + 3) % 7)),
  startOfQuarter: (values) =>
    monthsLater(`${text(values).slice(0, 8)}01`, -((Number(text(values).slice(5, 7)) - 1) % 3)),
  quarter: (values) => Math.ceil(Number(text(values).slice(5, 7)) / 3),
  plusMonths: (values) => monthsLater(text(values), Number(values[1])),
  monthsSince: (values) => monthsBetween(text(values, 1), text(values)),
  toDay: (values) => text(values).slice(0, 10),
});

/** A part of a JSON document as a text, a number or a truth value; null if it is something else. */
export const jsonCalls = family({
  jsonText: (values) => jsonPart(text(values), text(values, 1), "string"),
  jsonNumber: (values) => jsonPart(text(values), text(values, 1), "number"),
  jsonTruth: (values) => jsonPart(text(values), text(values, 1), "boolean"),
});

/** A text as a whole number of 32 bits, a decimal or a day; null if it is something else. */
export const parseCalls = family({
  parsedInteger: (values) => wholeIn(text(values)) ?? null,
  parsedNumeric: (values, { precision = 1, scale = 0 }) => decimalIn(text(values), precision - scale, scale) ?? null,
  parsedDay: (values) => (isDay(text(values)) ? text(values) : null),
});

const extreme =
  (isBetter: (order: number) => boolean): Evaluates =>
  (values, type) =>
    values.reduce((best, value) => (isBetter(compareValues(value, best, type)) ? value : best));

const otherCalls = family({
  least: extreme((order) => order < 0),
  greatest: extreme((order) => order > 0),
  cast: ([value = null], type, [from = type]) => cast(value, from, type),
});

/** Calls that take null as a value like any other. */
const nullCalls = family({
  coalesce: (values) => values.find((value) => value !== null) ?? null,
  nullIf: ([a = null, b = null], type) => (a !== null && b !== null && compareValues(a, b, type) === 0 ? null : a),
});

/**
 * The instant at which a statement is run (on PostgreSQL, at which its transaction began), and its day in UTC: not
 * known in memory.
 */
const clockCalls = family({ now: () => null, today: () => null });

const calls = {
  ...arithmeticCalls,
  ...textCalls,
  ...matchCalls,
  ...dayCalls,
  ...jsonCalls,
  ...parseCalls,
  ...otherCalls,
  ...nullCalls,
  ...clockCalls,
};

/** The name of a function of values that a predicate, a projection or an order may have in it. */
export type CallName = keyof typeof calls;
/** The name of a predicate of two texts. */
export type MatchCall = keyof typeof matchCalls;

/** All calls by their names. */
export const callNames = Object.keys(calls) as readonly CallName[];

/** Whether a call is true or false, and never null. */
export const isMatch = (call: CallName): call is MatchCall => call in matchCalls;

/** Whether a call has another value at another moment. */
export const isOfMoment = (call: CallName): boolean => call in clockCalls;

/** The value of a call in memory. Null among the values makes it null, but where a call asks for it. */
export const evaluateCall = (call: CallName, values: Values, type: ValueType, of: readonly ValueType[]): Scalar =>
  values.includes(null) && !(call in nullCalls) ? null : calls[call](values, type, of);
