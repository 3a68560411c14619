/**
 * The kinds of column. `identity`: a whole number that the database hands out, always part of the
 * primary key. `integer`: a whole number that a JavaScript number holds without loss. `date`: a
 * calendar day without a time zone, an ISO 8601 string such as "2026-05-01".
 */
export type ColumnKind = "identity" | "integer" | "text" | "boolean" | "date";

/** What a column may be besides its kind. */
export type ColumnTrait = "nullable" | "key" | "generated";

declare const valueType: unique symbol;
declare const traitsOf: unique symbol;

/**
 * A column of an entity, as the model says it. An immutable value: `nullable`, `key` and `named`
 * give a changed copy. `V` is the type of its values without null, `T` the union of its traits.
 */
export interface Column<K extends ColumnKind = ColumnKind, V = unknown, T extends ColumnTrait = ColumnTrait> {
  readonly kind: K;
  readonly traits: ReadonlySet<ColumnTrait>;
  /** The name in the table where it was given; else the model's `columnNames` derives it. */
  readonly columnName: string | undefined;
  /** The same column, which may hold null. */
  readonly nullable: Column<K, V, T | "nullable">;
  /** The same column as (a part of) the primary key. */
  readonly key: Column<K, V, T | "key">;
  /** The same column under a given name in the table. */
  named(columnName: string): Column<K, V, T>;
  /** For the types only. @internal */
  readonly [valueType]: V;
  /** For the types only. @internal */
  readonly [traitsOf]: T;
}

/** A column of any kind. */
// biome-ignore lint/suspicious/noExplicitAny: stands for every value type in a constraint
export type AnyColumn = Column<ColumnKind, any, any>;

/** in: a column; out: the type of its values, with null where it is nullable. */
export type ColumnValue<C> =
  C extends Column<ColumnKind, infer V, infer T> ? ("nullable" extends T ? V | null : V) : never;

/** in: a column; out: whether it may hold null. */
export type IsNullable<C> =
  C extends Column<ColumnKind, unknown, infer T> ? ("nullable" extends T ? true : false) : never;

function column<K extends ColumnKind, V, T extends ColumnTrait>(
  kind: K,
  traits: readonly ColumnTrait[],
  columnName?: string,
): Column<K, V, T> {
  const made = {
    kind,
    traits: new Set(traits),
    columnName,
    get nullable() {
      return column(kind, [...traits, "nullable"], columnName);
    },
    get key() {
      return column(kind, [...traits, "key"], columnName);
    },
    named: (name: string) => column(kind, traits, name),
  };
  return Object.freeze(made) as unknown as Column<K, V, T>;
}

/** A whole number that the database hands out when a row is inserted; the primary key. */
export const identity: Column<"identity", number, "key" | "generated"> = column("identity", ["key", "generated"]);
/** A whole number of 32 bits: from -2,147,483,648 to 2,147,483,647. */
export const integer: Column<"integer", number, never> = column("integer", []);
/** Text of any length. A laid-out database compares and sorts it by code point. */
export const text: Column<"text", string, never> = column("text", []);
/** True or false. */
export const boolean: Column<"boolean", boolean, never> = column("boolean", []);
/** A calendar day without a time zone, an ISO 8601 string such as "2026-05-01". */
export const date: Column<"date", string, never> = column("date", []);
