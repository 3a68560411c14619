import type { ValueType } from "../../../columns/index.js";
import type { CallName } from "../../../ir/index.js";
import type { SqlExpression } from "../../tree/tree.js";

/**
 * SQLite has no exact decimals: they are stored as text. Where their digits fit, what is worked out of them is worked
 * out by the engine in whole numbers of their last digit, exactly, and several times as fast as by functions that the
 * driver adds.
 */

type OfKind<K extends SqlExpression["kind"]> = Extract<SqlExpression, { readonly kind: K }>;

/** Whole numbers of the last digit of a type, and the largest of them there may be. */
interface Units {
  readonly units: SqlExpression;
  readonly bound: bigint;
}

/** The largest whole number of 64 bits. What would pass it is left to functions. */
const largest = 2n ** 63n - 1n;

/**
 * Digits that a floating-point number holds, in which the engine reads a text; and those that a whole number of 64 bits
 * holds.
 */
const [mostRead, mostHeld] = [15, 18];

const whole: ValueType = { kind: "bigint" };
const scaleOf = ({ kind, scale = 0 }: ValueType): number => (kind === "numeric" ? scale : 0);
const isWhole = ({ kind }: ValueType): boolean => kind === "integer" || kind === "identity";
const power = (digits: number): bigint => 10n ** BigInt(digits);

const raw = (parts: readonly string[], ...between: readonly SqlExpression[]): SqlExpression => ({
  kind: "raw",
  parts,
  between,
});

const call = (name: CallName, operands: readonly SqlExpression[]): SqlExpression => ({
  kind: "call",
  call: name,
  operands,
  type: whole,
  of: operands.map(() => ({ type: whole, isNullable: true })),
});

const number = (value: bigint): SqlExpression => ({ kind: "literal", value, type: whole });

const within = (units: SqlExpression, bound: bigint): Units | undefined =>
  bound <= largest ? { units, bound } : undefined;

/** Converts units to those of a smaller digit. */
function shifted(given: Units | undefined, from: number, to: number): Units | undefined {
  if (given === undefined || from === to) return given;
  const factor = power(to - from);
  if (given.units.kind === "literal")
    return within(number(BigInt(String(given.units.value)) * factor), given.bound * factor);
  return within(call("times", [given.units, number(factor)]), given.bound * factor);
}

/**
 * Converts units to another scale, a half rounded away from zero. A quotient of fewer than 52 bits is exact as a
 * floating-point number where it ends in a half, and told from that where it does not.
 */
function atScale(given: Units, from: number, to: number): Units | undefined {
  if (to >= from) return shifted(given, from, to);
  if (given.bound > 2n ** 52n) return undefined;
  const units = raw(["cast(round(", ` / 1${"0".repeat(from - to)}.0) as integer)`], given.units);
  return { units, bound: given.bound / power(from - to) + 1n };
}

/** What is stored, or comes from outside. `isWritten`: it is a text with all digits of its scale. */
function read(expression: SqlExpression, type: ValueType, isWritten: boolean): Units | undefined {
  // A whole number has 32 bits; what many rows come to, more.
  if (isWhole(type)) return { units: expression, bound: 2n ** 32n };
  const { precision = mostHeld + 1, scale = 0 } = type;
  if (isWritten && precision <= mostHeld)
    return { units: raw(["cast(replace(", ", '.', '') as integer)"], expression), bound: power(precision) };
  if (precision > mostRead) return undefined;
  return { units: raw(["cast(round(", ` * 1${"0".repeat(scale)}) as integer)`], expression), bound: power(precision) };
}

const alike: ReadonlySet<CallName> = new Set(["plus", "minus", "coalesce", "least", "greatest", "nullIf"]);

/** A call in units of the last digit of its type. */
function calledUnits({ call: name, operands, type, of }: OfKind<"call">): Units | undefined {
  const scales = of.map((operand) => scaleOf(operand.type));
  const scale = scaleOf(type);
  const values = name === "rounded" ? operands.slice(0, 1) : operands;
  const own = values.map((operand, i) => unitsOf(operand, of[i]?.type as ValueType));
  const [first] = own;
  if (first === undefined) return undefined;
  if (name === "negated" || name === "absolute") return { ...first, units: call(name, [first.units]) };
  if (name === "cast" || name === "rounded") return atScale(first, scales[0] as number, scale);
  if (name !== "times" && !alike.has(name)) return undefined;
  const ready = name === "times" ? own : own.map((units, i) => shifted(units, scales[i] as number, scale));
  const known = ready.filter((units) => units !== undefined);
  if (known.length < ready.length) return undefined;
  const bounds = known.map(({ bound }) => bound);
  const bound = name === "times" ? bounds.reduce((a, b) => a * b) : bounds.reduce((a, b) => a + b);
  return within(
    call(
      name,
      known.map(({ units }) => units),
    ),
    bound,
  );
}

/** Aggregates that are worked out of units. */
const aggregates: ReadonlySet<string> = new Set(["sum", "min", "max"]);

/** What many rows come to: a sum that leaves 64 bits is an error of the engine. */
const ofMany = power(mostHeld);

/** An aggregate in units of the last digit of what it is of. */
function aggregateUnits(aggregate: OfKind<"aggregate">): SqlExpression | undefined {
  const { operand, of } = aggregate;
  const given = operand === undefined ? undefined : unitsOf(operand, of);
  return given === undefined ? undefined : { ...aggregate, operand: given.units, type: whole, of: whole };
}

/** An aggregate in a window, of units. */
function windowUnits(window: OfKind<"window">): SqlExpression | undefined {
  const [operand] = window.operands;
  if (operand === undefined || !aggregates.has(window.call)) return undefined;
  const given = unitsOf(operand, window.of);
  return given === undefined ? undefined : { ...window, operands: [given.units], type: whole, of: whole };
}

/** An expression of a type in whole units of its last digit; undefined where the engine cannot work it out so. */
function unitsOf(expression: SqlExpression, type: ValueType): Units | undefined {
  if (isWhole(type)) return read(expression, type, false);
  if (type.kind !== "numeric") return undefined;
  switch (expression.kind) {
    case "literal": {
      const value = BigInt(String(expression.value).replace(".", ""));
      return within(number(value), value < 0n ? -value : value);
    }
    case "aggregate": {
      if (!aggregates.has(expression.aggregate)) return undefined;
      const units = aggregateUnits(expression);
      return units === undefined ? undefined : { units, bound: ofMany };
    }
    case "window": {
      const units = windowUnits(expression);
      return units === undefined ? undefined : { units, bound: ofMany };
    }
    case "call":
      return calledUnits(expression);
    case "case": {
      const { branches, otherwise } = expression;
      const made = branches.map(({ when, value }) => ({ when, given: unitsOf(value, type) }));
      const last = otherwise === undefined ? undefined : unitsOf(otherwise, type);
      const all = [...made.map(({ given }) => given), ...(otherwise === undefined ? [] : [last])];
      const known = all.filter((given) => given !== undefined);
      if (known.length < all.length) return undefined;
      const bound = known.reduce((most, given) => (given.bound > most ? given.bound : most), 0n);
      const units = made.map(({ when, given }) => ({ when, value: (given as Units).units }));
      return { units: { kind: "case", branches: units, otherwise: last?.units }, bound };
    }
    case "canonical":
      return unitsOf(expression.item, type);
    case "column":
      return read(expression, type, expression.isDerived === true);
    case "subquery":
    case "parameter":
      return read(expression, type, true);
    default:
      return undefined;
  }
}

/** Units as a decimal. */
const decimal = (units: SqlExpression, scale: number): SqlExpression => raw(["gemach_units(", `, ${scale})`], units);

/** A call of decimals by whole numbers, where that is how the engine can say it. */
export function callByUnits(expression: OfKind<"call">): SqlExpression {
  const { type, operands } = expression;
  const given = type.kind === "numeric" && operands.length > 0 ? unitsOf(expression, type) : undefined;
  return given === undefined ? expression : decimal(given.units, scaleOf(type));
}

/** An aggregate of decimals by whole numbers. */
export function aggregateByUnits(expression: OfKind<"aggregate">): SqlExpression {
  const { of, type, aggregate } = expression;
  if (of.kind !== "numeric" || !(aggregates.has(aggregate) || aggregate === "avg")) return expression;
  const units = aggregateUnits({ ...expression, aggregate: aggregate === "avg" ? "sum" : aggregate });
  if (units === undefined) return expression;
  const made = decimal(units, scaleOf(of));
  if (aggregate !== "avg") return made;
  const count: SqlExpression = { ...expression, aggregate: "count", type: { kind: "integer" } };
  return type.kind === "numeric"
    ? raw(["gemach_quotient(", ", ", `, ${scaleOf(type)})`], made, count)
    : raw(["gemach_double(", ") / ", ""], made, count);
}

/** A window over decimals by whole numbers. */
export function windowByUnits(expression: OfKind<"window">): SqlExpression {
  const units = expression.of.kind === "numeric" ? windowUnits(expression) : undefined;
  return units === undefined ? expression : decimal(units, scaleOf(expression.of));
}

/** A decimal with all digits of its scale, whatever was stored. */
export function canonicalByUnits({ item, type }: OfKind<"canonical">): SqlExpression {
  const given = unitsOf(item, type);
  return given === undefined
    ? raw(["gemach_round(", `, ${scaleOf(type)})`], item)
    : decimal(given.units, scaleOf(type));
}

/** What rows are grouped by, as a whole number, which is equal where decimals are. */
export const groupedByUnits = (expression: SqlExpression): SqlExpression =>
  expression.kind === "canonical" ? (unitsOf(expression.item, expression.type)?.units ?? expression) : expression;

/** What is sorted by, as a whole number. */
export const sortableByUnits = (expression: OfKind<"sortable">): SqlExpression =>
  unitsOf(expression.item, expression.type)?.units ?? expression;

/** A comparison of decimals: of whole numbers of the same digit on both sides, or of neither. */
export function comparedByUnits(binary: OfKind<"binary">): SqlExpression {
  const { left, right } = binary;
  if (left.kind !== "sortable" || right.kind !== "sortable") return binary;
  const scale = Math.max(scaleOf(left.type), scaleOf(right.type));
  const [a, b] = [left, right].map(({ item, type }) => shifted(unitsOf(item, type), scaleOf(type), scale));
  if (a !== undefined && b !== undefined) return { ...binary, left: a.units, right: b.units };
  const plain = ({ item }: OfKind<"sortable">) => raw(["gemach_decimal(", ")"], item);
  return { ...binary, left: plain(left), right: plain(right) };
}
