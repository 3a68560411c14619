import {
  addDecimals,
  atScale,
  compareDecimals,
  type Decimal,
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
  secondsBetween,
  secondsLater,
  upperCase,
  wholeIn,
} from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { decimalOf, decimalOrder } from "./decimal-order.js";

/** The part of a handle that is used to add functions. */
export interface ExtensibleHandle {
  /** Adds a function to the SQL of this connection. */
  // biome-ignore lint/suspicious/noExplicitAny: each package names its options' type itself
  function(name: string, options: any, work: (...values: any[]) => any): unknown;
  /** Adds a function of many rows to the SQL of this connection. */
  // biome-ignore lint/suspicious/noExplicitAny: each package names its options' type itself
  aggregate?(name: string, options: any): unknown;
}

type Value = string | number | bigint | null;

const decimal = (value: Value): Decimal => parseDecimal(String(value));
const negative = ({ units, scale }: Decimal): Decimal => ({ units: -units, scale });

const beyond = (type: string): GemachError =>
  new GemachError("VALUE_BEYOND_COLUMN", { engine: "SQLite", reason: `it is more than ${type} holds` });

/**
 * A whole number that a column of so many bits holds. One beside a number that a driver sent, or that left 64 bits, is
 * a floating-point number.
 */
function fitWhole(value: Value, bits: Value): Value {
  if (value === null) return null;
  const whole = typeof value === "number" && Number.isSafeInteger(value) ? BigInt(value) : value;
  if (typeof whole !== "bigint" || BigInt.asIntN(Number(bits), whole) !== whole)
    throw beyond(`a whole number of ${bits} bits`);
  return whole;
}

/** The functions that SQLite lacks; each is null where a value is. */
const functions: Readonly<Record<string, (...values: Value[]) => Value>> = {
  decimal: (value) => decimalOrder(value as string | number),
  digits: (order, scale) => decimalText(atScale(parseDecimal(decimalOf(order as string)), Number(scale))),
  plus: (a, b) => decimalText(addDecimals(decimal(a as Value), decimal(b as Value))),
  minus: (a, b) => decimalText(addDecimals(decimal(a as Value), negative(decimal(b as Value)))),
  times: (a, b) => decimalText(multiplyDecimals(decimal(a as Value), decimal(b as Value))),
  absolute: (a) => String(a).replace("-", ""),
  round: (a, digits) => decimalText(atScale(decimal(a as Value), Number(digits))),
  quotient: (a, b, scale) => {
    const quotient = divideDecimals(decimal(a as Value), decimal(b as Value), Number(scale));
    return quotient === undefined ? null : decimalText(quotient);
  },
  double: (a) => Number(a),
  json: (document, way, type) => {
    const part = jsonPart(String(document), String(way), String(type));
    return typeof part === "boolean" ? Number(part) : part;
  },
  since: (to, from) => secondsBetween(String(from), String(to)),
  later: (instant, seconds) => secondsLater(String(instant), Number(seconds)),
  months_later: (day, months) => monthsLater(String(day), Number(months)),
  months_since: (to, from) => monthsBetween(String(from), String(to)),
  whole: (text) => wholeIn(String(text)) ?? null,
  parsed: (text, whole, scale) => decimalIn(String(text), Number(whole), Number(scale)) ?? null,
  day: (text) => (isDay(String(text)) ? text : null),
  fit_decimal: (value, precision, scale) => {
    const rounded = decimalText(atScale(decimal(value as Value), Number(scale)));
    if (rounded.replace(/^-?0*|\./g, "").length > Number(precision)) throw beyond(`numeric(${precision}, ${scale})`);
    return rounded;
  },
  fit_text: (value, length) => {
    const text = String(value);
    if (text.length > Number(length) && [...text].length > Number(length)) throw beyond(`varchar(${length})`);
    return text;
  },
  lower: (a) => lowerCase(String(a)),
  upper: (a) => upperCase(String(a)),
};

/** Whole numbers of 64 bits come with all of their digits; each package calls the setting by another name. */
const exact = { deterministic: true, safeIntegers: true, useBigIntArguments: true };

/** Values in their order. */
const sorted = (values: readonly Value[]): readonly Value[] =>
  values.toSorted((a, b) => ((a as number) < (b as number) ? -1 : (a as number) > (b as number) ? 1 : 0));

/** An aggregate that is worked out of all of its values at its end; `work`: of those, and of what was said besides. */
const gathering = (work: (values: readonly Value[], said: Value) => Value) => ({
  ...exact,
  start: (): { readonly values: Value[]; said: Value } => ({ values: [], said: null }),
  varargs: true,
  step: (found: { readonly values: Value[]; said: Value }, value: Value, said: Value = null) => {
    if (value !== null) found.values.push(value);
    return Object.assign(found, { said });
  },
  result: ({ values, said }: { readonly values: readonly Value[]; readonly said: Value }) =>
    values.length === 0 ? null : work(values, said),
});

/** Aggregates that SQLite lacks. */
const aggregates = {
  only: gathering((values) => {
    if (values.length > 1) throw new GemachError("VALUE_SEVERAL", { engine: "SQLite" });
    return values[0] as Value;
  }),
  joined: gathering((values, separator) => [...new Set(values)].join(String(separator))),
  median: gathering((values) => {
    const all = sorted(values.map(Number)) as readonly number[];
    const [low, high] = [all[(all.length - 1) >> 1] as number, all[all.length >> 1] as number];
    return (low + high) / 2;
  }),
  percentile: gathering((values, fraction) => {
    const all = sorted(values);
    return all[Math.max(1, Math.ceil(Number(fraction) * all.length)) - 1] as Value;
  }),
  stddev: gathering((values, isOfAll) => {
    const all = values.map(Number);
    const divisor = all.length - (Number(isOfAll) === 1 ? 0 : 1);
    const mean = all.reduce((sum, value) => sum + value, 0) / all.length;
    return divisor === 0 ? null : Math.sqrt(all.reduce((sum, value) => sum + (value - mean) ** 2, 0) / divisor);
  }),
};

const chosen = (sign: number) => (a: Value, b: Value) =>
  Math.sign(compareDecimals(decimal(a), decimal(b))) === sign ? a : b;

/** A sum in the making: how many values it is of, and what they come to. */
interface Total {
  readonly count: number;
  readonly sum: Decimal;
}

const moved = ({ count, sum }: Total, value: Value, by: 1 | -1): Total =>
  value === null
    ? { count, sum }
    : { count: count + by, sum: addDecimals(sum, by > 0 ? decimal(value) : negative(decimal(value))) };

/** A sum of decimals, also of rows that come and go in a window. */
const sum = {
  start: (): Total => ({ count: 0, sum: { units: 0n, scale: 0 } }),
  deterministic: true,
  step: (total: Total, value: Value) => moved(total, value, 1),
  inverse: (total: Total, value: Value) => moved(total, value, -1),
  result: ({ count, sum }: Total) => (count === 0 ? null : decimalText(sum)),
};

/**
 * A decimal out of whole numbers of its last digit. What left 64 bits is a floating-point number, and has lost some.
 */
function fromUnits(units: Value, scale: Value): Value {
  if (units === null) return null;
  if (typeof units !== "bigint") throw new GemachError("VALUE_LOSSY", { kind: "numeric" });
  return decimalText({ units, scale: Number(scale) });
}

const [lesser, greater] = [chosen(-1), chosen(1)];

/** Adds what SQLite lacks to a connection: exact decimals, which it stores as texts, and letters of all languages. */
export function addFunctions(handle: ExtensibleHandle): void {
  for (const [name, work] of Object.entries(functions))
    handle.function(`gemach_${name}`, { deterministic: true, varargs: true }, (...values: Value[]) =>
      values.includes(null) ? null : work(...values),
    );
  handle.function("gemach_units", exact, fromUnits);
  handle.function("gemach_fit_whole", exact, fitWhole);
  for (const [name, choose] of Object.entries({ least: lesser, greatest: greater }))
    handle.function(`gemach_${name}`, { deterministic: true, varargs: true }, (...values: Value[]) =>
      values.includes(null) ? null : values.reduce(choose),
    );
  for (const [name, work] of Object.entries({ sum, ...aggregates })) handle.aggregate?.(`gemach_${name}`, work);
}
