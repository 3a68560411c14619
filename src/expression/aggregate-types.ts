import type {
  Expression,
  ExpressionOf,
  NumberExpression,
  NumberKind,
  Order,
  Present,
  Text,
} from "./expression-types.js";

/** Kinds whose values have a least and a greatest one on every engine. */
export type RankedKind = NumberKind | "text" | "date" | "time" | "timestamp" | "localTimestamp";

/** in: a kind of number; out: the type of its values in code. */
type Native<K extends NumberKind> = K extends "bigint" ? bigint : K extends "numeric" ? string : number;

/** Of a decimal average: how many digits it has after the point. */
export interface AverageScale {
  readonly scale: number;
}

/**
 * Whether the rows of a standard deviation are some of those that there are (it is divided by one less), or all of
 * them.
 */
export type Deviation = "sample" | "population";

/** Aggregates of values each of which counts once, however often it is there. */
export interface DistinctAggregates<A extends readonly unknown[]> {
  /** How many different values there are. */
  count(of: (...rows: A) => Expression): NumberExpression<number, "integer">;
  /** Their sum. */
  sum<K extends NumberKind>(of: (...rows: A) => Expression<unknown, K>): NumberExpression<Native<K> | null, K>;
  /** Their average, as a floating-point number. */
  avg<K extends NumberKind>(of: (...rows: A) => Expression<unknown, K>): NumberExpression<number | null, "double">;
  /** One text of them, in their own order. */
  joined(of: (...rows: A) => Expression<string | null, "text">, separator: string): Text<string | null>;
  /** A list of them, in their own order. */
  values<V>(of: (...rows: A) => Expression<V>): Present<NonNullable<V>[], "list">;
}

/**
 * Aggregates of many rows. `A`: what the callbacks get of each row. Missing values do not count. Of no rows, a count is
 * 0, a list empty, and everything else is missing.
 */
export interface Aggregates<A extends readonly unknown[]> {
  /** How many rows there are; with a function: how many have a value there. */
  count(of?: (...rows: A) => Expression): NumberExpression<number, "integer">;
  /** How many different values there are. */
  countDistinct(of: (...rows: A) => Expression): NumberExpression<number, "integer">;
  /** The sum of the values. */
  sum<K extends NumberKind>(of: (...rows: A) => Expression<unknown, K>): NumberExpression<Native<K> | null, K>;
  /**
   * The average of the values, as a floating-point number; with a scale as an exact decimal, a half rounded away from
   * zero.
   */
  avg<K extends NumberKind>(of: (...rows: A) => Expression<unknown, K>): NumberExpression<number | null, "double">;
  avg<K extends Exclude<NumberKind, "double">>(
    of: (...rows: A) => Expression<unknown, K>,
    to: AverageScale,
  ): NumberExpression<string | null, "numeric">;
  /** The least value. */
  min<V, K extends RankedKind>(of: (...rows: A) => Expression<V, K>): ExpressionOf<K, V | null>;
  /** The greatest value. */
  max<V, K extends RankedKind>(of: (...rows: A) => Expression<V, K>): ExpressionOf<K, V | null>;
  /** The value in the middle, or the mean of the two there, as a floating-point number. */
  median<K extends NumberKind>(of: (...rows: A) => Expression<unknown, K>): NumberExpression<number | null, "double">;
  /**
   * The least value at or below which so many of all are, from 0 to 1: one that is there. 0.5 is a median that loses no
   * digit.
   */
  percentile<V, K extends Exclude<RankedKind, "text">>(
    of: (...rows: A) => Expression<V, K>,
    fraction: number,
  ): ExpressionOf<K, V | null>;
  /** The standard deviation, of a sample by default: missing there where fewer than two values are. */
  stddev<K extends NumberKind>(
    of: (...rows: A) => Expression<unknown, K>,
    rows?: Deviation,
  ): NumberExpression<number | null, "double">;
  /** One text of the texts, in an order, or their own where none is given. */
  joined(
    of: (...rows: A) => Expression<string | null, "text">,
    separator: string,
    order?: (...rows: A) => Order | readonly Order[],
  ): Text<string | null>;
  /** A list of the values, in an order, or their own where none is given. */
  values<V>(
    of: (...rows: A) => Expression<V>,
    order?: (...rows: A) => Order | readonly Order[],
  ): Present<NonNullable<V>[], "list">;
  /** Aggregates of values each of which counts once. */
  distinct(): DistinctAggregates<A>;
}

/** in: the type of an expression's values; out: null where it may be missing. */
type Absence<V> = V & null;

/**
 * Aggregates of all rows of a group: there is at least one, so that nothing is missing but where the values may be.
 * `A`: what the callbacks get of each row.
 */
export interface GroupAggregates<A extends readonly unknown[]>
  extends Pick<Aggregates<A>, "count" | "countDistinct" | "stddev" | "values" | "distinct"> {
  /** The sum of the values. */
  sum<V, K extends NumberKind>(of: (...rows: A) => Expression<V, K>): NumberExpression<Native<K> | Absence<V>, K>;
  /**
   * The average of the values, as a floating-point number; with a scale as an exact decimal, a half rounded away from
   * zero.
   */
  avg<V, K extends NumberKind>(of: (...rows: A) => Expression<V, K>): NumberExpression<number | Absence<V>, "double">;
  avg<V, K extends Exclude<NumberKind, "double">>(
    of: (...rows: A) => Expression<V, K>,
    to: AverageScale,
  ): NumberExpression<string | Absence<V>, "numeric">;
  /** The least value. */
  min<V, K extends RankedKind>(of: (...rows: A) => Expression<V, K>): ExpressionOf<K, V>;
  /** The greatest value. */
  max<V, K extends RankedKind>(of: (...rows: A) => Expression<V, K>): ExpressionOf<K, V>;
  /** The value in the middle, or the mean of the two there, as a floating-point number. */
  median<V, K extends NumberKind>(
    of: (...rows: A) => Expression<V, K>,
  ): NumberExpression<number | Absence<V>, "double">;
  /** The least value at or below which so many of all are, from 0 to 1: one that is there. */
  percentile<V, K extends Exclude<RankedKind, "text">>(
    of: (...rows: A) => Expression<V, K>,
    fraction: number,
  ): ExpressionOf<K, V>;
  /** One text of the texts, in an order, or their own where none is given. */
  joined<V extends string | null>(
    of: (...rows: A) => Expression<V, "text">,
    separator: string,
    order?: (...rows: A) => Order | readonly Order[],
  ): Text<string | Absence<V>>;
}
