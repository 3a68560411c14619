import {
  addDecimals,
  atScale,
  compareDecimals,
  type Decimal,
  decimalText,
  jsonPart,
  lowerCase,
  multiplyDecimals,
  parseDecimal,
  secondsBetween,
  secondsLater,
  upperCase,
} from "../columns/index.js";
import { decimalOf, decimalOrder } from "./decimal-order.js";

/** What is used of a handle that functions can be added to. */
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

/** The functions that SQLite lacks; each is null where a value is. */
const functions: Readonly<Record<string, (...values: Value[]) => Value>> = {
  decimal: (value) => decimalOrder(value as string | number),
  digits: (order, scale) => decimalText(atScale(parseDecimal(decimalOf(order as string)), Number(scale))),
  plus: (a, b) => decimalText(addDecimals(decimal(a as Value), decimal(b as Value))),
  minus: (a, b) => decimalText(addDecimals(decimal(a as Value), negative(decimal(b as Value)))),
  times: (a, b) => decimalText(multiplyDecimals(decimal(a as Value), decimal(b as Value))),
  absolute: (a) => String(a).replace("-", ""),
  round: (a, digits) => decimalText(atScale(decimal(a as Value), Number(digits))),
  double: (a) => Number(a),
  json: (document, way, type) => {
    const part = jsonPart(String(document), String(way), String(type));
    return typeof part === "boolean" ? Number(part) : part;
  },
  since: (to, from) => secondsBetween(String(from), String(to)),
  later: (instant, seconds) => secondsLater(String(instant), Number(seconds)),
  lower: (a) => lowerCase(String(a)),
  upper: (a) => upperCase(String(a)),
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

const [lesser, greater] = [chosen(-1), chosen(1)];

/** Adds what SQLite lacks to a connection: exact decimals, which it stores as texts, and letters of all languages. */
export function addFunctions(handle: ExtensibleHandle): void {
  for (const [name, work] of Object.entries(functions))
    handle.function(`gemach_${name}`, { deterministic: true, varargs: true }, (...values: Value[]) =>
      values.includes(null) ? null : work(...values),
    );
  for (const [name, choose] of Object.entries({ least: lesser, greatest: greater }))
    handle.function(`gemach_${name}`, { deterministic: true, varargs: true }, (...values: Value[]) =>
      values.includes(null) ? null : values.reduce(choose),
    );
  handle.aggregate?.("gemach_sum", sum);
}
