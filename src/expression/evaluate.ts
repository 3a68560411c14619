import {
  addDecimals,
  atScale,
  compareDecimals,
  comparedKind,
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
import { GemachError } from "../errors/index.js";
import type { CallName, ClockCall } from "./calls.js";
import { partsOf, typeOf } from "./node.js";
import type { OwnNodeKind } from "./own-kinds.js";
import type { CallNode, Node, ResolvedColumn } from "./resolved.js";

/** Gives the value of a row's column. */
export type ReadColumn = (column: ResolvedColumn) => Scalar;

/** Texts go by code point, as in tables created from the model. */
function compareTexts(a: string, b: string): number {
  const [left, right] = [[...a], [...b]];
  const at = left.findIndex((letter, i) => letter !== right[i]);
  if (at < 0) return left.length - right.length;
  const other = right[at];
  return other === undefined ? 1 : (left[at]?.codePointAt(0) as number) - (other.codePointAt(0) as number);
}

function compare(a: Scalar, b: Scalar, { kind }: ValueType): number {
  if (kind === "numeric") return compareDecimals(parseDecimal(a as string), parseDecimal(b as string));
  if (comparedKind(kind) === "text") return compareTexts(a as string, b as string);
  if (a instanceof Uint8Array && b instanceof Uint8Array) return String(a) === String(b) ? 0 : 1;
  if (a === b) return 0;
  return (a as number) < (b as number) ? -1 : 1;
}

const holds: Readonly<Record<string, (sign: number) => boolean>> = {
  equal: (sign) => sign === 0,
  unequal: (sign) => sign !== 0,
  below: (sign) => sign < 0,
  above: (sign) => sign > 0,
  atMost: (sign) => sign <= 0,
  atLeast: (sign) => sign >= 0,
};

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
const text = (values: Values, at = 0): string => values[at] as string;
const number = (values: Values, at = 0): number => values[at] as number;

const isBefore =
  (sign: (order: number) => boolean) =>
  (values: Values, { type }: CallNode) =>
    values.reduce((best, value) => (sign(compare(value, best, type)) ? value : best));

/** Calls of a rule: none of them asks what time it is. */
type Evaluated = Exclude<CallName, "coalesce" | ClockCall>;

/** What each call gives for values none of which is missing. */
const evaluations: Readonly<Record<Evaluated, (values: Values, node: CallNode) => Scalar>> = {
  plus: ([a = null, b = null], { type }) => arithmetic.plus(a, b, type),
  minus: ([a = null, b = null], { type }) => arithmetic.minus(a, b, type),
  times: ([a = null, b = null], { type }) => arithmetic.times(a, b, type),
  dividedBy: ([a, b], { type }) => {
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
  negated: ([a = null], { type }) => negated(a, type),
  absolute: ([a = null], { type }) => (isNegative(a) ? negated(a, type) : a),
  rounded: (values, { type }) => rounded(values[0] as Scalar, number(values, 1), type),
  floor: (values) => Math.floor(number(values)),
  ceiling: (values) => Math.ceil(number(values)) + 0,
  lower: (values) => lowerCase(text(values)),
  upper: (values) => upperCase(text(values)),
  length: (values) => [...text(values)].length,
  trim: (values) => text(values).replace(/^ +| +$/g, ""),
  concat: (values) => values.join(""),
  substring: (values) =>
    [...text(values)].slice(number(values, 1) - 1, number(values, 1) - 1 + number(values, 2)).join(""),
  replace: (values) =>
    text(values, 1) === "" ? text(values) : text(values).replaceAll(text(values, 1), () => text(values, 2)),
  contains: (values) => text(values).includes(text(values, 1)),
  startsWith: (values) => text(values).startsWith(text(values, 1)),
  endsWith: (values) => text(values).endsWith(text(values, 1)),
  like: (values) => patternOf(text(values, 1)).test(text(values)),
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
  parsedInteger: (values) => wholeIn(text(values)) ?? null,
  parsedNumeric: (values, { type: { precision = 1, scale = 0 } }) =>
    decimalIn(text(values), precision - scale, scale) ?? null,
  parsedDay: (values) => (isDay(text(values)) ? text(values) : null),
  toDay: (values) => text(values).slice(0, 10),
  jsonText: (values) => jsonPart(text(values), text(values, 1), "string"),
  jsonNumber: (values) => jsonPart(text(values), text(values, 1), "number"),
  jsonTruth: (values) => jsonPart(text(values), text(values, 1), "boolean"),
  nullIf: ([a = null, b = null], { type }) => (compare(a, b, type) === 0 ? null : a),
  least: isBefore((sign) => sign < 0),
  greatest: isBefore((sign) => sign > 0),
  cast: (values, { operands, type }) => cast(values[0] as Scalar, typeOf(operands[0] as Node).type, type),
};

/** What no rule of a row by itself may have in it: the model refuses it. */
type BeyondRow = Exclude<Node, { kind: OwnNodeKind }>;

function beyondRow(node: BeyondRow): never {
  throw new GemachError("RULE_BEYOND_ROW", { entity: "an entity", name: node.kind });
}

/** What an expression of a row's own columns gives. */
export function evaluate(node: Node, read: ReadColumn): Scalar {
  switch (node.kind) {
    case "column":
      return read(node.column);
    case "value":
      return node.value;
    case "raw":
      // Only the database knows; a rule that has such a part is not looked at here.
      return null;
    case "call": {
      const values = node.operands.map((operand) => evaluate(operand, read));
      if (node.call === "coalesce") return values.find((value) => value !== null) ?? null;
      if (node.call === "nullIf" && values[1] === null) return values[0] as Scalar;
      return values.includes(null) ? null : evaluations[node.call as Evaluated](values, node);
    }
    case "case": {
      const branch = node.branches.find(({ when }) => isTrue(when, read, false));
      const chosen = branch?.value ?? node.otherwise;
      return chosen === undefined ? null : evaluate(chosen, read);
    }
    case "compare":
    case "isNull":
    case "oneOf":
    case "logic":
    case "not":
      return isTrue(node, read, false);
    default:
      return beyondRow(node);
  }
}

/**
 * Whether a predicate is true of a row. `unknown`: what a comparison with a missing value counts as,
 * negated or not.
 */
function isTrue(node: Node, read: ReadColumn, unknown: boolean, isNegated = false): boolean {
  switch (node.kind) {
    case "compare": {
      const [left, right] = [evaluate(node.left, read), evaluate(node.right, read)];
      if (left === null || right === null) return unknown || (node.comparison === "unequal") !== isNegated;
      return (holds[node.comparison]?.(compare(left, right, typeOf(node.left).type)) ?? false) !== isNegated;
    }
    case "oneOf": {
      const value = evaluate(node.operand, read);
      const { type } = typeOf(node.operand);
      if (value === null) return unknown || isNegated;
      return (node.values as readonly Scalar[]).some((other) => compare(value, other, type) === 0) !== isNegated;
    }
    case "logic": {
      const isAll = (node.operator === "and") !== isNegated;
      const test = (item: Node) => isTrue(item, read, unknown, isNegated);
      return isAll ? node.items.every(test) : node.items.some(test);
    }
    case "not":
      return isTrue(node.item, read, unknown, !isNegated);
    case "raw":
      return unknown;
    case "isNull":
      return (evaluate(node.operand, read) === null) !== isNegated;
    case "column":
    case "value":
    case "call":
    case "case": {
      const value = evaluate(node, read);
      return value === null ? unknown || isNegated : (value === true) !== isNegated;
    }
    default:
      return beyondRow(node);
  }
}

/** Whether a row keeps a rule: as in SQL, all rows do for which it is not false, so that a missing value keeps it. */
export const keepsRule = (node: Node, read: ReadColumn): boolean => isTrue(node, read, true);

/** The columns that an expression is made of. */
export const columnsIn = (node: Node): readonly ResolvedColumn[] =>
  node.kind === "column" ? [node.column] : partsOf(node).flatMap(columnsIn);
