import type { ColumnKind, kindOf, MadeInDatabase, traitsOf, ValueObject, valueType } from "../columns/index.js";
import type { Node, OrderNode, Query, SelectionOf } from "../ir/index.js";
import type { nodeKey, orderKey } from "./built.js";
import type { ListParameter } from "./list-parameter.js";

declare const kindType: unique symbol;

/** A direction of sorting, made by `asc` or `desc`. */
export interface Order {
  /** @internal */
  readonly [orderKey]: OrderNode;
  /** Sorts rows without a value first. */
  readonly nullsFirst: Order;
  /** Sorts rows without a value last. */
  readonly nullsLast: Order;
}

/** The values that an expression can be compared with: a value, or an expression of the same kind. */
export type Operand<V, K extends ColumnKind> = V | Expression<V | null, K>;

/** Something that the database works out for a row. `V` is the type of its values, `K` their kind. */
export interface Expression<out V = unknown, out K extends ColumnKind = ColumnKind> extends MadeInDatabase<V> {
  /** For the types only. @internal */
  readonly [kindType]: K;
  /** @internal */
  readonly [nodeKey]: Node;
}

/** An expression of which can be asked only whether it has a value: engines compare such values each in its own way. */
export interface Present<V, K extends ColumnKind> extends Expression<V, K> {
  /** `is(null)`: has no value. */
  is(value: null & V): Predicate;
  /** `isNot(null)`: has a value. */
  isNot(value: null & V): Predicate;
}

/** A query of values; where its projection is known, they are of the same kind. */
type QueryOfKind<V, K extends ColumnKind> = Query<V | null> & Partial<SelectionOf<Expression<unknown, K>>>;

/** An expression that can be compared for equality. */
export interface Comparable<V, K extends ColumnKind> extends Expression<V, K> {
  /** Equal to the value; `is(null)`: has no value. */
  is(value: Operand<V, K>): Predicate;
  /** Sorts by it, smallest first; rows without a value come first of all. */
  readonly asc: Order;
  /** Sorts by it, largest first; rows without a value come last of all. */
  readonly desc: Order;
  /** Not equal to the value; rows without a value are kept. `isNot(null)`: has a value. */
  isNot(value: Operand<V, K>): Predicate;
  /** Equal to one of the values, or to a value of the query's rows; false where there is none. */
  oneOf(values: readonly NonNullable<V>[] | QueryOfKind<V, K> | ListParameter<NonNullable<V>>): Predicate;
  /** Equal to none of them; rows without a value are kept. */
  notOneOf(values: readonly NonNullable<V>[] | QueryOfKind<V, K> | ListParameter<NonNullable<V>>): Predicate;
}

/** An expression whose values have an order. */
export interface Ordered<V, K extends ColumnKind> extends Comparable<V, K> {
  /** Less than the value; for days: earlier. */
  below(value: Operand<NonNullable<V>, K>): Predicate;
  /** Greater than the value; for days: later. */
  above(value: Operand<NonNullable<V>, K>): Predicate;
  /** Less than or equal to the value. */
  atMost(value: Operand<NonNullable<V>, K>): Predicate;
  /** Greater than or equal to the value. */
  atLeast(value: Operand<NonNullable<V>, K>): Predicate;
  /** From the first to the second value, both included. */
  between(from: Operand<NonNullable<V>, K>, to: Operand<NonNullable<V>, K>): Predicate;
}

/** An expression that is true or false for each row: never without a value. */
export interface Predicate extends Comparable<boolean, "boolean"> {}

/** in: the type of an expression's values; out: null where it may be missing. */
export type Missing<V> = V & null;

/** in: an operand; out: null where it may be missing. */
export type MissingIn<O> = O extends Expression<infer V> ? Missing<V> : never;

/** A text operand. */
type TextOperand = Operand<string, "text">;

/** An expression that is text. `V` may be a narrower type than string, as that of a choice. */
export interface Text<V> extends Ordered<V, "text"> {
  /** Whether the text has the other in it; capitals and small letters are different ones. */
  contains(text: TextOperand): Predicate;
  /** Whether the text begins with the other. */
  startsWith(text: TextOperand): Predicate;
  /** Whether the text ends with the other. */
  endsWith(text: TextOperand): Predicate;
  /**
   * Whether the text matches a pattern: `%` stands for any characters, `_` for one, after a backslash each for itself.
   */
  like(pattern: string): Predicate;
  /** Compares the text without regard to capitals and small letters. */
  ignoringCase(): CaselessText;
  /** In small letters, each character by itself (Unicode's simple mapping). */
  lower(): Text<string | Missing<V>>;
  /** In capitals, each character by itself (Unicode's simple mapping). */
  upper(): Text<string | Missing<V>>;
  /** The number of its characters (code points). */
  length(): NumberExpression<number | Missing<V>, "integer">;
  /** Without spaces at its ends. */
  trim(): Text<string | Missing<V>>;
  /** With other texts after it; missing where one of them is. */
  concat<const O extends readonly TextOperand[]>(...texts: O): Text<string | Missing<V> | MissingIn<O[number]>>;
  /** A part of it, from a character on, the first of which is 1. */
  substring(from: number, length: number): Text<string | Missing<V>>;
  /** With each occurrence of a text replaced. */
  replace(search: TextOperand, replacement: TextOperand): Text<string | Missing<V>>;
  /** The whole number of 32 bits that it says ("-12"); missing where it says none. */
  toInteger(): NumberExpression<number | null, "integer">;
  /**
   * The decimal that it says ("12.5"), with so many digits, so many of them after the point; missing where it says none
   * that fits.
   */
  toNumeric(precision: number, scale: number): NumberExpression<string | null, "numeric">;
  /** The day that it says ("2026-05-01"); missing where it says none. */
  toDay(): Day<string | null>;
  /** The text as plain text, where it is a choice. */
  asText(): Text<string | Missing<V>>;
}

/** Comparisons of a text that take capitals and small letters for the same. */
export interface CaselessText {
  /** Equal to the text. */
  is(text: TextOperand): Predicate;
  /** Not equal to the text; rows without a value are kept. */
  isNot(text: TextOperand): Predicate;
  /** Whether the text has the other in it. */
  contains(text: TextOperand): Predicate;
  /** Whether the text begins with the other. */
  startsWith(text: TextOperand): Predicate;
  /** Whether the text ends with the other. */
  endsWith(text: TextOperand): Predicate;
  /** Sorts by it. */
  readonly asc: Order;
  /** Sorts by it, the last first. */
  readonly desc: Order;
}

/** Kinds of number. */
export type NumberKind = "integer" | "bigint" | "double" | "numeric";

/** in: a kind of number; out: the type of its values in code. */
type Native<K extends NumberKind> = K extends "bigint" ? bigint : K extends "numeric" ? string : number;

/** Kinds of number without rounding errors. */
type ExactKind = Exclude<NumberKind, "double">;

/** What stands beside a number in arithmetic: one of its kind, or any expression that is as exact. */
type Term<K extends NumberKind> = Operand<Native<K>, K> | (K extends "double" ? never : Expression<unknown, ExactKind>);

/** in: the kind of a number and what stands beside it; out: the kind of what comes out, the wider of both. */
type Wider<K extends NumberKind, O> =
  O extends Expression<unknown, infer L extends NumberKind>
    ? L extends K
      ? K
      : "numeric" extends K | L
        ? "numeric"
        : "bigint"
    : K;

/** in: the same, and the type of the number's values; out: what comes out. */
type Made<V, K extends NumberKind, O> = NumberExpression<Native<Wider<K, O>> | Missing<V> | MissingIn<O>, Wider<K, O>>;

/**
 * An expression that is a number. Arithmetic stays in its kind, or goes to the wider of two exact ones; `asDouble` and
 * the like change it. Whole numbers stay whole.
 */
export interface NumberExpression<V, K extends NumberKind> extends Ordered<V, K> {
  /** The sum. */
  plus<const O extends Term<K>>(value: O): Made<V, K, O>;
  /** The difference. */
  minus<const O extends Term<K>>(value: O): Made<V, K, O>;
  /** The product. */
  times<const O extends Term<K>>(value: O): Made<V, K, O>;
  /**
   * The quotient, of whole numbers without its fraction; missing where the divisor is zero. Of decimals it needs a
   * scale.
   */
  dividedBy(value: K extends "numeric" ? never : Operand<Native<K>, K>): NumberExpression<Native<K> | null, K>;
  /**
   * The exact quotient of whole numbers or decimals with so many digits after the point, a half rounded away from zero.
   */
  dividedBy(
    value: K extends "double" ? never : Term<K>,
    to: { readonly scale: number },
  ): NumberExpression<string | null, "numeric">;
  /** The remainder of a division of whole numbers, with the sign of the dividend; missing where the divisor is zero. */
  remainder(
    value: K extends "numeric" | "double" ? never : Operand<Native<K>, K>,
  ): NumberExpression<Native<K> | null, K>;
  /** With the other sign. */
  negated(): NumberExpression<Native<K> | Missing<V>, K>;
  /** Without its sign. */
  absolute(): NumberExpression<Native<K> | Missing<V>, K>;
  /** To so many digits after the point, 0 by default; a half is rounded away from zero. Of doubles and decimals. */
  rounded(
    ...digits: K extends "double" | "numeric" ? [digits?: number] : [never]
  ): NumberExpression<Native<K> | Missing<V>, K>;
  /** The whole number at or below it. Of doubles. */
  floor(...only: K extends "double" ? [] : [never]): NumberExpression<Native<K> | Missing<V>, K>;
  /** The whole number at or above it. Of doubles. */
  ceiling(...only: K extends "double" ? [] : [never]): NumberExpression<Native<K> | Missing<V>, K>;
  /** As a whole number of 64 bits. Of integers. */
  asBigint(...only: K extends "integer" ? [] : [never]): NumberExpression<bigint | Missing<V>, "bigint">;
  /** As a floating-point number. */
  asDouble(...only: K extends "double" ? [never] : []): NumberExpression<number | Missing<V>, "double">;
  /** As a decimal with so many digits after the point, 0 by default. Of whole numbers and decimals. */
  asNumeric(scale?: K extends "double" ? never : number): NumberExpression<string | Missing<V>, "numeric">;
  /** Its digits as text. Of whole numbers and decimals. */
  asText(...only: K extends "double" ? [never] : []): Text<string | Missing<V>>;
}

/** Methods of days and instants. */
interface Calendar<V, K extends ColumnKind> extends Ordered<V, K> {
  /** The year. */
  year(): NumberExpression<number | Missing<V>, "integer">;
  /** The month, from 1. */
  month(): NumberExpression<number | Missing<V>, "integer">;
  /** The quarter of the year, from 1. */
  quarter(): NumberExpression<number | Missing<V>, "integer">;
  /** The day of the month, from 1. */
  dayOfMonth(): NumberExpression<number | Missing<V>, "integer">;
  /** The day of the week: Monday is 1, Sunday is 7 (ISO 8601). */
  weekday(): NumberExpression<number | Missing<V>, "integer">;
}

/** Methods of instants and times of day. */
interface Clock<V, K extends ColumnKind> extends Ordered<V, K> {
  /** The hour, from 0; of an instant: in UTC. */
  hour(): NumberExpression<number | Missing<V>, "integer">;
  /** The minute, from 0. */
  minute(): NumberExpression<number | Missing<V>, "integer">;
  /** The second, from 0, without its fraction. */
  second(): NumberExpression<number | Missing<V>, "integer">;
}

/** How many days, months or seconds: a number, or any expression that is a whole one. */
type Count = Operand<number, "integer"> | Expression<bigint | null, "bigint">;

/** An expression that is a calendar day. */
export interface Day<V> extends Calendar<V, "date"> {
  /** So many days later, or earlier where it is negative. */
  plusDays<const O extends Count>(days: O): Day<string | Missing<V> | MissingIn<O>>;
  /**
   * The day so many months later, or the last of that month where it has fewer days; earlier where it is negative.
   */
  plusMonths<const O extends Count>(months: O): Day<string | Missing<V> | MissingIn<O>>;
  /** The number of whole months since the other; negative where that is later. */
  monthsSince<const O extends Operand<string, "date">>(
    day: O,
  ): NumberExpression<number | Missing<V> | MissingIn<O>, "integer">;
  /** The number of days since the other; negative where that is later. */
  daysSince<const O extends Operand<string, "date">>(
    day: O,
  ): NumberExpression<number | Missing<V> | MissingIn<O>, "integer">;
  /** The Monday of its week. */
  startOfWeek(): Day<string | Missing<V>>;
  /** The first day of its quarter. */
  startOfQuarter(): Day<string | Missing<V>>;
  /** The first day of its month. */
  startOfMonth(): Day<string | Missing<V>>;
  /** The first day of its year. */
  startOfYear(): Day<string | Missing<V>>;
  /** As text: "2026-05-01". */
  asText(): Text<string | Missing<V>>;
}

/** An expression that is an instant; its parts are those in UTC. */
export interface Instant<V> extends Calendar<V, "timestamp">, Clock<V, "timestamp"> {
  /** So many seconds later, or earlier where it is negative. */
  plusSeconds<const O extends Count>(seconds: O): Instant<V | MissingIn<O>>;
  /** The whole seconds since the other; negative where that is later. */
  secondsSince<const O extends Operand<NonNullable<V>, "timestamp">>(
    instant: O,
  ): NumberExpression<number | Missing<V> | MissingIn<O>, "integer">;
  /** The beginning of its day. */
  startOfDay(): Instant<V>;
  /** The beginning of its hour. */
  startOfHour(): Instant<V>;
  /** Its day in UTC. */
  toDay(): Day<string | Missing<V>>;
}

/** An expression that is a day and a time of day of no zone. */
export interface LocalInstant<V> extends Calendar<V, "localTimestamp">, Clock<V, "localTimestamp"> {
  /** Its day. */
  toDay(): Day<string | Missing<V>>;
}

/** An expression that is a time of day. */
export interface TimeOfDay<V> extends Clock<V, "time"> {}

/** A step into a JSON document: the name of a property, or the position in a list, from 0. */
export type DocumentStep = string | number;

/** An expression that is a JSON document. */
export interface JsonDocument<V> extends Present<V, "json"> {
  /** The text at the end of a way into the document; missing where there is none. */
  textAt(...way: readonly DocumentStep[]): Text<string | null>;
  /** The number at the end of a way into the document; missing where there is none. */
  numberAt(...way: readonly DocumentStep[]): NumberExpression<number | null, "double">;
  /** The truth value at the end of a way into the document; missing where there is none. */
  truthAt(...way: readonly DocumentStep[]): Comparable<boolean | null, "boolean">;
}

/** The expressions of all kinds of column, whose values are of one type. */
interface Expressions<V> {
  identity: NumberExpression<V, "integer">;
  integer: NumberExpression<V, "integer">;
  bigint: NumberExpression<V, "bigint">;
  double: NumberExpression<V, "double">;
  numeric: NumberExpression<V, "numeric">;
  text: Text<V>;
  varchar: Text<V>;
  choice: Text<V>;
  boolean: Comparable<V, "boolean">;
  date: Day<V>;
  time: TimeOfDay<V>;
  timestamp: Instant<V>;
  localTimestamp: LocalInstant<V>;
  uuid: Ordered<V, "uuid">;
  json: JsonDocument<V>;
  bytes: Comparable<V, "bytes">;
  list: Present<V, "list">;
}

/** in: a column's kind and the type of its values; out: the expression that it gives. */
export type ExpressionOf<K extends ColumnKind, V> = Expressions<V>[K];

/** in: a column, and whether its row may be missing; out: the expression for it. */
export type ColumnExpression<C, IsMissing extends boolean> = C extends {
  readonly [kindOf]: infer K extends ColumnKind;
  readonly [valueType]: infer V;
  readonly [traitsOf]: infer T;
}
  ? ExpressionOf<K, IsMissing extends true ? V | null : "nullable" extends T ? V | null : V>
  : C extends ValueObject<infer V, infer N>
    ? N extends true
      ? { readonly [P in keyof V]: ColumnExpression<V[P], true> } & Absent
      : { readonly [P in keyof V]: ColumnExpression<V[P], IsMissing> }
    : never;

declare const absent: unique symbol;

/**
 * For the types only: an object of expressions in whose place there may be null. An alias, since an interface would fit
 * no object of any names. @internal
 */
export type Absent = { readonly [absent]: true };
