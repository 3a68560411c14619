/**
 * The kinds of column.
 *
 * `identity`: a whole number that the database hands out. `integer`: a whole number of 32 bits.
 * `bigint`: one of 64 bits. `double`: a floating-point number of 64 bits (IEEE 754). `numeric`: an
 * exact decimal of a given precision and scale. `text`: text of any length; `varchar`: of a given
 * length. `date`: a calendar day. `time`: a time of day. `timestamp`: an instant. `localTimestamp`: a
 * day and a time of day of no zone. `choice`: one of given texts. `list`: several values of one kind.
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
  | "localTimestamp"
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
  /** Makes the code's value of the column's value. */
  decode(value: V): U;
  /** Makes the column's value of the code's value. */
  encode(value: U): V;
}

/**
 * The type of an engine's own in which a table stores a column, as SQL writes it: an enumeration, a domain, a type of
 * an extension. Values are cast to it. Where the engine's text of a value is not the one that code is to see, or takes,
 * `read` and `write` say how it is made, with `?` in the place of the value: `{ type: "geometry", read: "st_astext(?)",
 * write: "st_geomfromtext(?)" }`.
 */
export type StoredForm = string | { readonly type: string; readonly read?: string; readonly write?: string };

/** The type of the values of a column or expression. */
export interface ValueType {
  readonly kind: ColumnKind;
  /** Of a `varchar`: the most characters it holds. */
  readonly length?: number;
  /** Of a `varchar`: whether the database fills it up with blanks, so that blanks at the end count for nothing. */
  readonly isPadded?: boolean;
  /** Of a `numeric`: the number of its digits, and how many of them stand after the point. */
  readonly precision?: number;
  readonly scale?: number;
  /** Of a `choice`. */
  readonly choices?: readonly string[];
  /** Of a `list`: what it is a list of, and whether there may be null in its place. */
  readonly element?: ValueType;
  readonly hasNulls?: boolean;
  /** Of a `list`: whether it was made of the values of many rows, each in the form in which it would come by itself. */
  readonly isGathered?: boolean;
  /** How an engine stores it where that is in a type of its own, by the name of the dialect. */
  readonly stored?: Readonly<Record<string, StoredForm>>;
  /** Of a `timestamp`: whether code sees it as an ISO string rather than a Date. */
  readonly isText?: boolean;
  // biome-ignore lint/suspicious/noExplicitAny: the column's own type says what it turns into what
  readonly codec?: Codec<any, any>;
}
