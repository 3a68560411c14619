import type { ColumnValue, HasTrait } from "./column.js";
import type { AnyRelation, Cardinality } from "./relation.js";
import type { Columns, ValueObject } from "./value-object.js";

/** The relations of an entity, by name. */
export type Relations = Readonly<Record<string, AnyRelation>>;

declare const instanceType: unique symbol;

/** in: a column or a value object; out: the type of its values. */
export type MemberValue<C> =
  C extends ValueObject<infer V, infer N>
    ? N extends true
      ? { [P in keyof V]: MemberValue<V[P]> } | null
      : { [P in keyof V]: MemberValue<V[P]> }
    : ColumnValue<C>;

/** in: columns; out: a plain row of them, without heavy ones. */
export type ColumnRow<C extends Columns> = {
  [P in keyof C as HasTrait<C[P], "heavy"> extends true ? never : P]: MemberValue<C[P]>;
} & {};

/** One entity as the model says it: a table, its columns, its relations. `I` is the class of its rows, if any. */
export interface EntityDefinition<C extends Columns = Columns, R extends Relations = Relations, I = unknown> {
  /** For the types only. @internal */
  readonly [instanceType]: I;
  readonly table: string;
  readonly columns: C;
  readonly relations: R;
  readonly options: EntityOptions & RowMaker;
}

/** An index over several columns; "due desc" for one in descending order. */
export interface IndexDefinition<N extends string = string> {
  readonly on: readonly (N | `${N} desc`)[];
  /** Whether no two rows may have the same values in all of them. */
  readonly unique?: boolean;
  /** Only rows with these values are in the index; null: without one. */
  readonly when?: { readonly [P in N]?: string | number | boolean | bigint | null };
}

/** A class of one's own, whose instances an entity's rows are to be. */
// biome-ignore lint/suspicious/noExplicitAny: a constructor of any arguments; it is not called
export type RowClass<I> = abstract new (...given: any[]) => I;

/** What makes the rows of an entity. */
export interface RowMaker {
  /** Rows are instances of this class: made without its constructor, their columns assigned. */
  readonly as?: RowClass<object>;
  /** Rows are what this function makes of a plain row, for a constructor that wants arguments. */
  readonly make?: (row: never) => object;
}

/** What an entity may be told besides its columns and relations. */
export interface EntityOptions<N extends string = string> {
  /** Whether it is only read: a view, or a table that another program writes. `layOut` leaves it alone. */
  readonly readOnly?: boolean;
  /** The schema of the database that its table is in, where it is not the one that the connection leads to. */
  readonly schema?: string;
  /** Indexes that its table has besides those of its keys. */
  readonly indexes?: readonly IndexDefinition<N>[];
}

/** The entities of a model, by name. */
export type Definitions = Readonly<Record<string, EntityDefinition>>;

/** No relations: an overload of its own, since an inference that finds nothing would allow any name. */
type NoRelations = Readonly<Record<never, AnyRelation>>;

/**
 * One entity: a table, its columns, its relations, and options. With `as` or `make` its rows are
 * instances of a class of one's own, which needs to know nothing of this library.
 */
export function entity<const C extends Columns>(table: string, columns: C): EntityDefinition<C, NoRelations, never>;
export function entity<const C extends Columns, const R extends Relations>(
  table: string,
  columns: C,
  relations: R,
  options?: EntityOptions<keyof C & string>,
): EntityDefinition<C, R, never>;
export function entity<const C extends Columns, const R extends Relations, I extends object>(
  table: string,
  columns: C,
  relations: R,
  options: EntityOptions<keyof C & string> & { readonly as: RowClass<I> },
): EntityDefinition<C, R, I>;
export function entity<const C extends Columns, const R extends Relations, I extends object>(
  table: string,
  columns: C,
  relations: R,
  options: EntityOptions<keyof C & string> & { readonly make: (row: ColumnRow<C>) => I },
): EntityDefinition<C, R, I>;
export function entity(
  table: string,
  columns: Columns,
  relations: Relations = {},
  options: EntityOptions & RowMaker = {},
): EntityDefinition {
  return Object.freeze({ table, columns, relations, options }) as unknown as EntityDefinition;
}

/** The names of a model's entities. */
export type EntityName<D extends Definitions> = keyof D & string;

/** in: a model's definitions and an entity's name; out: its columns. */
export type ColumnsOf<D extends Definitions, E extends keyof D> = D[E]["columns"];

/** in: a model's definitions and an entity's name; out: its relations. */
export type RelationsOf<D extends Definitions, E extends keyof D> = D[E]["relations"];

/** in: an entity and the names of relations, one after the other; out: the name of the entity at their end. */
type RouteTarget<D extends Definitions, E extends keyof D, S extends readonly string[]> = S extends readonly [
  infer First extends string,
  ...infer Rest extends readonly string[],
]
  ? First extends keyof RelationsOf<D, E>
    ? RouteTarget<D, TargetOf<D, E, RelationsOf<D, E>[First]>, Rest>
    : never
  : E & string;

/**
 * in: an entity and one of its relations; out: the name of its target. Asks for the property that tells
 * kinds of relation apart, so that no kind has to be compared as a whole.
 */
export type TargetOf<D extends Definitions, E extends keyof D, R> = R extends {
  readonly target: infer T extends string;
}
  ? T
  : R extends { readonly steps: infer S extends readonly string[] }
    ? RouteTarget<D, E, S>
    : never;

/** in: an entity and the names of relations; out: "many" where one of them is to many rows. */
type RouteCardinality<D extends Definitions, E extends keyof D, S extends readonly string[]> = S extends readonly [
  infer First extends string,
  ...infer Rest extends readonly string[],
]
  ? CardinalityOf<D, E, RelationsOf<D, E>[First]> extends "one"
    ? RouteCardinality<D, TargetOf<D, E, RelationsOf<D, E>[First]>, Rest>
    : "many"
  : "one";

/** in: an entity and one of its relations; out: "one" or "many". */
export type CardinalityOf<D extends Definitions, E extends keyof D, R> = R extends {
  readonly cardinality: infer K extends Cardinality;
}
  ? K
  : R extends { readonly steps: infer S extends readonly string[] }
    ? RouteCardinality<D, E, S>
    : "many";

/** in: an entity and the names of to-one relations; out: whether any of their rows may be missing. */
type RouteMayBeMissing<D extends Definitions, E extends keyof D, S extends readonly string[]> = S extends readonly [
  infer First extends string,
  ...infer Rest extends readonly string[],
]
  ? MayBeMissing<D, E, RelationsOf<D, E>[First]> extends true
    ? true
    : RouteMayBeMissing<D, TargetOf<D, E, RelationsOf<D, E>[First]>, Rest>
  : false;

/** in: an entity and one of its to-one relations; out: whether its row may be missing. */
export type MayBeMissing<D extends Definitions, E extends keyof D, R> = R extends { readonly isLoose: true }
  ? true
  : R extends { readonly by: readonly (infer B extends string)[] }
    ? true extends HasTrait<ColumnsOf<D, E>[B], "nullable">
      ? true
      : false
    : R extends { readonly steps: infer S extends readonly string[] }
      ? RouteMayBeMissing<D, E, S>
      : false;

/** The row of an entity: each of its columns but heavy ones, and nothing else; or an instance of its class. */
export type PlainRow<D extends Definitions, E extends keyof D> = [D[E][typeof instanceType]] extends [never]
  ? ColumnRow<ColumnsOf<D, E>>
  : D[E][typeof instanceType];

/** in: columns; out: the names of those that a new row may leave out. */
type Omittable<C extends Columns> = {
  [P in keyof C]: C[P] extends { readonly kind: "value"; readonly isNullable: infer N }
    ? N extends true
      ? P
      : never
    : HasTrait<C[P], "generated" | "defaulted" | "nullable"> extends true
      ? P
      : never;
}[keyof C];

/** in: columns; out: what a new row has of them. */
type NewColumns<C extends Columns> = {
  -readonly [P in Exclude<keyof C, Omittable<C>>]: NewMember<C[P]>;
} & {
  -readonly [P in Omittable<C>]?: NewMember<C[P]>;
};

/** in: a column or a value object; out: what a new row has for it. */
type NewMember<C> =
  C extends ValueObject<infer V, infer N> ? (N extends true ? NewColumns<V> | null : NewColumns<V>) : ColumnValue<C>;

/** A row to be inserted: what the database hands out, and what may be null, can be left out. */
export type NewRow<D extends Definitions, E extends keyof D> = NewColumns<ColumnsOf<D, E>>;
