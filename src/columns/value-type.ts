/**
 * The kinds of column.
 *
 * `identity`: a whole number that the database hands out. `integer`: a whole number of 32 bits.
 * `bigint`: one of 64 bits. `double`: a floating-point number of 64 bits (IEEE 754). `numeric`: an
 * exact decimal of a given precision and scale. `text`: text of any length; `varchar`: of a given
 * length. `date`: a calendar day. `time`: a time of day. `timestamp`: an instant. `choice`: one of
 * given texts. `list`: several values of one kind.
 */
export type ColumnKind =
  | "identity"
  | "integer"
  | "bigint"
  | "double"
  | "numeric"
  | "text"
  | "varchar"
  | "choice"
  | "boolean"
  | "date"
  | "time"
  | "timestamp"
  | "uuid"
  | "json"
  | "bytes"
  | "list";

/**
 * A value in the form that the library passes on to a dialect: json as its text, instants as ISO
 * 8601 in UTC with six digits of a second, decimals as digits with all of their scale.
 */
export type Scalar = string | number | boolean | bigint | null | Uint8Array | readonly Scalar[];

/** Turns values of a column into others and back. */
export interface Codec<V, U> {
  /** What code gets of the column's value. */
  decode(value: V): U;
  /** What the column gets of the code's value. */
  encode(value: U): V;
}

/** What the values of a column or expression are. */
export interface ValueType {
  readonly kind: ColumnKind;
  /** Of a `varchar`: the most characters it holds. */
  readonly length?: number;
  /** Of a `numeric`: the number of its digits, and how many of them stand after the point. */
  readonly precision?: number;
  readonly scale?: number;
  /** Of a `choice`. */
  readonly choices?: readonly string[];
  /** Of a `list`: what it is a list of. */
  readonly element?: ValueType;
  /** Of a `timestamp`: whether code sees it as an ISO string rather than a Date. */
  readonly isText?: boolean;
  // biome-ignore lint/suspicious/noExplicitAny: the column's own type says what it turns into what
  readonly codec?: Codec<any, any>;
}
