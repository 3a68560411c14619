import type { StandardSchema } from "./standard-schema.js";
import type { Codec, ColumnKind, StoredForm, ValueType } from "./value-type.js";

/**
 * A trait of a column besides its kind. `generated`: the database hands it out. `defaulted`: a new row may leave it
 * out. `computed`: the database works it out of the row's other columns. `heavy`: it stays in the database until it is
 * asked for. `version`: it tells whether a row is as it was read. `secret`: its values are shown nowhere.
 */
export type ColumnTrait =
  | "nullable"
  | "key"
  | "unique"
  | "generated"
  | "defaulted"
  | "computed"
  | "heavy"
  | "version"
  | "secret";

/** A value that the database makes: an expression of it. `V` is the type of its values. */
export interface MadeInDatabase<out V = unknown> {
  /** For the types only. @internal */
  readonly [valuesType]: V;
}

export declare const valuesType: unique symbol;

/** Where a column keeps its facts. @internal */
export const factsKey: unique symbol = Symbol("gemach.facts");

export declare const kindOf: unique symbol;
export declare const valueType: unique symbol;
export declare const traitsOf: unique symbol;

/** The facts of a column, for the rooms that work with it. @internal */
export interface ColumnFacts {
  readonly type: ValueType;
  readonly traits: ReadonlySet<ColumnTrait>;
  /** The name in the table where it was given; else the model's `columnNames` derives it. */
  readonly columnName: string | undefined;
  /** The value, or expression, that the table's definition has for rows that leave it out. */
  readonly defaultValue: unknown;
  /** Makes the value of a new row that leaves it out. */
  readonly initial: (() => unknown) | undefined;
  /** Makes the value of each row that is written, new or changed, and is given none. */
  readonly written?: () => unknown;
  /** The schema that its values must meet, besides being of its kind. */
  readonly schema: StandardSchema | undefined;
  /** How the database compares and sorts it, by the name of the dialect, where that is not by code point. */
  readonly collations: Readonly<Record<string, string>>;
  /** Its former name in the table. */
  readonly formerName?: string;
}

/**
 * A column of an entity, as the model says it. An immutable value: each property and method gives a
 * changed copy. `K` is its kind, `V` the type of its values without null, `T` the union of its traits.
 */
export interface Column<K extends ColumnKind = ColumnKind, V = unknown, T extends ColumnTrait = ColumnTrait> {
  /** @internal */
  readonly [factsKey]: ColumnFacts;
  /** Allows null. */
  readonly nullable: Column<K, V, T | "nullable">;
  /** Makes it (a part of) the primary key. */
  readonly key: Column<K, V, T | "key">;
  /** Makes it unique: no two rows may hold the same value. */
  readonly unique: Column<K, V, T | "unique">;
  /** Leaves it in the database where a query does not name it: a file, a long text. */
  readonly heavy: Column<K, V, T | "heavy">;
  /**
   * Has the database work it out of the row's other columns: rows are never given a
   * value for it. The entity's option `computes` says how, for the tables that `createTables` creates.
   */
  readonly computed: Column<K, V, T | "computed">;
  /**
   * Makes it the row's version (an optimistic lock): a whole number, or a timestamp, that a unit of work
   * changes with each of its updates, and looks at: a row that another one has changed meanwhile is a `CONFLICT`. A new
   * row begins at 1, or now.
   */
  readonly version: Column<K, V, T | "version" | "defaulted">;
  /**
   * Keeps its values out of ledgers, previews and reports: a phone number, a token. Statements that are
   * given any of them show none of their values, but marks that are the same for the same values.
   */
  readonly secret: Column<K, V, T>;
  /** Gives it another name in the table. */
  named(columnName: string): Column<K, V, T>;
  /**
   * Names what tables may call it yet: a migration that is drafted renames it, rather than to
   * drop it and add another one.
   */
  formerly(columnName: string): Column<K, V, T>;
  /**
   * Has the database take this where a new row leaves it out: a value, or what an expression
   * makes there, such as `now()`, or `sql(uuid)` of a function of its own.
   */
  defaultsTo(value: V | MadeInDatabase<V>): Column<K, V, T | "defaulted">;
  /** States that the table has a default that code does not know: a new row may leave it out. */
  readonly defaulted: Column<K, V, T | "defaulted">;
  /** Makes a value in code where a new row leaves it out. */
  startsAs(make: () => V): Column<K, V, T | "defaulted">;
  /**
   * Makes a value in code whenever a row is written, new or changed, by whatever way, and the
   * row is given none: `changed: timestamp.onWrite(() => new Date())`.
   */
  onWrite(make: () => V): Column<K, V, T | "defaulted">;
  /**
   * Compares and sorts the text by a collation of the database rather than by code
   * point: its name for each dialect, such as `{ postgres: "de-x-icu", mariadb: "utf8mb4_german2_ci" }`.
   */
  collated(names: { readonly sqlite?: string; readonly postgres?: string; readonly mariadb?: string }): Column<K, V, T>;
  /**
   * Stores it in a type of the engine's own, such as `{ postgres: "loan_state" }`: an
   * enumeration, a domain, a type of an extension. Code sees the values as the column's kind has them.
   */
  storedAs(forms: {
    readonly sqlite?: StoredForm;
    readonly postgres?: StoredForm;
    readonly mariadb?: StoredForm;
  }): Column<K, V, T>;
  /**
   * Checks its values by a schema too (Standard Schema, one that answers at once):
   * for what SQL cannot say. It is asked when rows are inserted, and by the entity's own schemas.
   */
  meets(schema: StandardSchema<V, unknown>): Column<K, V, T>;
  /** Converts its values for code; never to null, which means that there is no value. */
  as<U extends NonNullable<unknown>>(codec: Codec<V, U>): Column<K, U, T>;
  /** For the types only. @internal */
  readonly [kindOf]: K;
  /** For the types only. @internal */
  readonly [valueType]: V;
  /** For the types only. @internal */
  readonly [traitsOf]: T;
}

/** A column of any kind. */
// biome-ignore lint/suspicious/noExplicitAny: stands for every value type in a constraint
export type AnyColumn = Column<ColumnKind, any, any>;

/**
 * in: a column; out: the type of its values, with null where it is nullable. Asks by property: half the work for the
 * compiler.
 */
export type ColumnValue<C> = C extends { readonly [valueType]: infer V; readonly [traitsOf]: infer T }
  ? "nullable" extends T
    ? V | null
    : V
  : never;

/** in: a column and traits; out: whether the column has one of them. */
export type HasTrait<C, X extends ColumnTrait> = C extends { readonly [traitsOf]: infer T }
  ? [X & T] extends [never]
    ? false
    : true
  : false;

function column<K extends ColumnKind, V, T extends ColumnTrait>(facts: ColumnFacts): Column<K, V, T> {
  const changed = (change: Partial<ColumnFacts>) => column({ ...facts, ...change });
  const withTrait = (trait: ColumnTrait, change: Partial<ColumnFacts> = {}) =>
    changed({ ...change, traits: new Set([...facts.traits, trait]) });
  const chained = (codec: Codec<unknown, unknown>): Codec<unknown, unknown> => {
    const inner = facts.type.codec;
    if (inner === undefined) return codec;
    return {
      decode: (value) => codec.decode(inner.decode(value)),
      encode: (value) => inner.encode(codec.encode(value)),
    };
  };
  return Object.freeze({
    [factsKey]: facts,
    get nullable() {
      return withTrait("nullable");
    },
    get key() {
      return withTrait("key");
    },
    get unique() {
      return withTrait("unique");
    },
    get heavy() {
      return withTrait("heavy");
    },
    get secret() {
      return withTrait("secret");
    },
    get computed() {
      return withTrait("computed");
    },
    get version() {
      const initial =
        facts.type.kind === "timestamp" ? () => new Date() : () => (facts.type.kind === "bigint" ? 1n : 1);
      return withTrait("version", { initial });
    },
    get defaulted() {
      return withTrait("defaulted");
    },
    named: (columnName: string) => changed({ columnName }),
    formerly: (formerName: string) => changed({ formerName }),
    defaultsTo: (defaultValue: unknown) => withTrait("defaulted", { defaultValue }),
    collated: (collations: Readonly<Record<string, string>>) => changed({ collations }),
    storedAs: (stored: Readonly<Record<string, StoredForm>>) => changed({ type: { ...facts.type, stored } }),
    meets: (schema: StandardSchema) => changed({ schema }),
    startsAs: (initial: () => unknown) => withTrait("defaulted", { initial }),
    onWrite: (written: () => unknown) => withTrait("defaulted", { initial: written, written }),
    as: (codec: Codec<unknown, unknown>) => changed({ type: { ...facts.type, codec: chained(codec) } }),
  }) as Column<K, V, T>;
}

const plain = <K extends ColumnKind, V, T extends ColumnTrait = never>(
  type: ValueType,
  ...traits: T[]
): Column<K, V, T> =>
  column({
    type,
    traits: new Set(traits),
    columnName: undefined,
    defaultValue: undefined,
    initial: undefined,
    schema: undefined,
    collations: {},
  });

/** A whole number that the database hands out when a row is inserted; the primary key. */
export const identity: Column<"identity", number, "key" | "generated"> = plain(
  { kind: "identity" },
  "key",
  "generated",
);
/** A whole number of 32 bits: from -2,147,483,648 to 2,147,483,647. */
export const integer: Column<"integer", number, never> = plain({ kind: "integer" });
/** A whole number of 64 bits, as a bigint. */
export const bigint: Column<"bigint", bigint, never> = plain({ kind: "bigint" });
/** A floating-point number of 64 bits (IEEE 754), finite; a negative zero becomes a plain one. */
export const double: Column<"double", number, never> = plain({ kind: "double" });
/** Text of any length. Tables created from the model compare and sort it by code point. */
export const text: Column<"text", string, never> = plain({ kind: "text" });
/** True or false. */
export const boolean: Column<"boolean", boolean, never> = plain({ kind: "boolean" });
/** A calendar day without a time zone, of the years 1 to 9999: an ISO 8601 string such as "2026-05-01". */
export const date: Column<"date", string, never> = plain({ kind: "date" });
/** A time of day to the microsecond: a string such as "08:30:00" or "08:30:00.25". */
export const time: Column<"time", string, never> = plain({ kind: "time" });
/**
 * An instant of the years 1 to 9999, as a Date: to the millisecond, also where the table holds microseconds.
 */
export const timestamp: Column<"timestamp", Date, never> = plain({ kind: "timestamp" });
/** An instant as an ISO 8601 string in UTC, with all six digits: "2026-05-01T06:30:00.000000Z". */
export const isoTimestamp: Column<"timestamp", string, never> = plain({ kind: "timestamp", isText: true });
/**
 * A day and a time of day of no zone, to the microsecond: an ISO 8601 string such as "2026-05-01T08:30:00" or
 * "2026-05-01T08:30:00.25". Never turned by a zone, be it the session's or that of the code.
 */
export const localTimestamp: Column<"localTimestamp", string, never> = plain({ kind: "localTimestamp" });

const millisecondsIn = { seconds: 1000n, milliseconds: 1n } as const;

/**
 * An instant as a Date, in a table that counts the seconds or milliseconds since 1970 began in UTC as a whole number.
 */
export const epoch = (unit: "seconds" | "milliseconds"): Column<"bigint", Date, never> =>
  (plain({ kind: "bigint" }) as Column<"bigint", bigint, never>).as({
    decode: (count) => new Date(Number(count * millisecondsIn[unit])),
    encode: (instant: Date) => BigInt(instant.getTime() / Number(millisecondsIn[unit])),
  });

/** A UUID (RFC 9562) as a string in lower case. */
export const uuid: Column<"uuid", string, never> = plain({ kind: "uuid" });
/** Bytes, as a Uint8Array. */
export const bytes: Column<"bytes", Uint8Array, never> = plain({ kind: "bytes" });

/** Text of at most so many characters (code points). */
export const varchar = (length: number): Column<"varchar", string, never> => plain({ kind: "varchar", length });

/**
 * Text of so many characters, which the database fills up with blanks: those at the end count for nothing, and are not
 * read.
 */
export const character = (length: number): Column<"varchar", string, never> =>
  plain({ kind: "varchar", length, isPadded: true });

/**
 * An exact decimal, as a string such as "12.50": never through a floating-point number.
 * @param precision the number of its digits, at most 65.
 * @param scale how many of them stand after the point, at most 38.
 */
export const numeric = (precision: number, scale: number): Column<"numeric", string, never> =>
  plain({ kind: "numeric", precision, scale });

/** Anything that JSON can say. `V` is its type, which is taken at its word. */
export const json = <V = unknown>(): Column<"json", V, never> => plain({ kind: "json" });

/** One of the given texts. */
export const choice = <const C extends readonly [string, ...string[]]>(
  ...choices: C
): Column<"choice", C[number], never> => plain({ kind: "choice", choices });

/** A list of values of a column's kind, or of lists of one length: an array where the engine has arrays, else JSON. */
export const list = <K extends ColumnKind, V, T extends ColumnTrait>(
  of: Column<K, V, T>,
): Column<"list", ("nullable" extends T ? V | null : V)[], never> => {
  const { type, traits } = of[factsKey];
  return plain({ kind: "list", element: type, ...(traits.has("nullable") ? { hasNulls: true } : {}) });
};
