import type { Columns, ColumnValue, HasTrait, ValueObject } from "../columns/index.js";
import { expectOptions } from "../errors/index.js";
import type { ColumnExpression, Expression, Predicate } from "../expression/index.js";
import type { Cardinality, Fault } from "../ir/index.js";
import type { AnyRelation } from "./relation.js";
/** The relations of an entity, by name. */
export type Relations = Readonly<Record<string, AnyRelation>>;

declare const instanceType: unique symbol;
declare const writable: unique symbol;
declare const hidden: unique symbol;

/** in: a column or a value object; out: the type of its values. */
export type MemberValue<C> =
  C extends ValueObject<infer V, infer N>
    ? { -readonly [P in keyof V]: MemberValue<V[P]> } | (N extends true ? null : never)
    : ColumnValue<C>;

/** in: columns; out: a plain row of them, without heavy ones. */
export type ColumnRow<C extends Columns> = {
  -readonly [P in keyof C as HasTrait<C[P], "heavy"> extends true ? never : P]: MemberValue<C[P]>;
} & {};

/**
 * One entity as the model says it: a table, its columns, its relations. `I` is the class of its rows, if any; `W`:
 * whether it may be written.
 */
export interface EntityDefinition<
  C extends Columns = Columns,
  R extends Relations = Relations,
  I = unknown,
  W extends boolean = boolean,
  S extends string = string,
> {
  /** For the types only. @internal */
  readonly [instanceType]: I;
  /** For the types only. @internal */
  readonly [writable]: W;
  /** For the types only. @internal */
  readonly [hidden]: S;
  readonly table: string;
  readonly columns: C;
  readonly relations: R;
  readonly options: AnyOptions;
}

/** in: columns; out: the names of all of them, those of value objects as "address.street". */
export type ColumnPath<C extends Columns> = {
  [P in keyof C & string]: C[P] extends ValueObject<infer V> ? `${P}.${ColumnPath<V>}` : P;
}[keyof C & string];

/** An index over several columns; "due desc" for one in descending order. */
export interface IndexDefinition<N extends string = string> {
  readonly on: readonly (N | `${N} desc`)[];
  /** Whether no two rows may have the same values in all of them. */
  readonly unique?: boolean;
  /** Only rows with these values are in the index; null: without one. */
  readonly when?: { readonly [P in N]?: string | number | boolean | bigint | null };
}

/**
 * A condition that an entity carries everywhere it appears: rows for which it is not true are hidden. Of a column with
 * one value, or with the value that the database handle was given (`db.as({ tenant: 7 })`).
 */
export type Standing<N extends string = string> =
  | {
      readonly column: N;
      /** The value that visible rows have; null: none. */
      readonly is: string | number | boolean | bigint | null;
      /** The value that a unit of work gives the column in place of deleting the row (soft deletion). */
      readonly removed?: () => unknown;
    }
  | {
      readonly column: N;
      /** The name of the value that `db.as()` gives. New rows get it, and no row is given another. */
      readonly given: string;
    }
  | {
      /**
       * The name of a to-one relation of the entity: its rows are visible where the row that the relation leads to is,
       * by that one's own conditions; a row that leads nowhere is hidden.
       */
      readonly through: string;
    };

/** A class of one's own, whose instances an entity's rows are to be. */
// biome-ignore lint/suspicious/noExplicitAny: a constructor of any arguments; it is not called
export type RowClass<I> = abstract new (...given: any[]) => I;

/** A row's own columns, as expressions: what the rules of an entity are written with. */
export type OwnRow<C extends Columns> = { readonly [P in keyof C]: ColumnExpression<C[P], false> };

/** in: columns; out: the names of those that the database works out. */
export type Computed<C extends Columns> = {
  [P in keyof C]: HasTrait<C[P], "computed"> extends true ? P : never;
}[keyof C];

/** Options of an entity besides its columns and relations. */
export interface EntityOptions<C extends Columns = Columns> {
  /** Whether it is only read: a view, or a table that another program writes. `createTables` leaves it alone. */
  readonly readOnly?: boolean;
  /**
   * The name of another entity whose table it is too, of which it has some of the columns: a short form of rows, or
   * those of one kind. `createTables` creates the table for the other one.
   */
  readonly sharedWith?: string;
  /** Whether its table has no primary key: its rows can be read and added, but not told apart. */
  readonly withoutKey?: boolean;
  /** Its table's former name: a migration that is drafted renames it. */
  readonly formerly?: string;
  /** The schema of the database that its table is in, where it is not the one that the connection leads to. */
  readonly schema?: string;
  /** Indexes that its table has besides those of its keys. */
  readonly indexes?: readonly IndexDefinition<ColumnPath<C>>[];
  /**
   * Rules that each row must keep, by a name: constraints in the database, and part of `newRowSchema` and
   * `partialRowSchema`. As in SQL a rule is broken only where it is false: a missing value keeps it.
   */
  readonly checks?: (row: OwnRow<C>) => { readonly [name: string]: Predicate };
  /** The expressions by which the database makes computed columns. */
  readonly computes?: (row: OwnRow<C>) => { readonly [P in Computed<C>]?: Expression };
  /** Conditions that the entity carries everywhere it appears, by names by which a query may lift them. */
  readonly standing?: { readonly [name: string]: Standing<ColumnPath<C>> };
  /**
   * Why the entity has no standing condition of its own, although its rows lead to an entity whose rows belong to one
   * handle each: the reason by which `openEntities` and `gemach audit --model` leave it out.
   */
  readonly open?: string;
  /** Rows are instances of this class: made without its constructor, their columns assigned. */
  readonly as?: RowClass<object>;
  /** Rows are what this function makes of a plain row, for a constructor that wants arguments. */
  readonly make?: (row: ColumnRow<C>) => object;
}

/** The options of any entity. */
interface AnyOptions extends Omit<EntityOptions, "indexes" | "checks" | "computes" | "make" | "standing"> {
  readonly standing?: { readonly [name: string]: Standing };
  readonly indexes?: readonly IndexDefinition[];
  readonly checks?: (row: never) => { readonly [name: string]: Predicate };
  readonly computes?: (row: never) => { readonly [name: string]: Expression | undefined };
  readonly make?: (row: never) => object;
}

/** in: options; out: the type of the entity's instances, never where rows are plain. */
type InstanceOf<O> = O extends { readonly make: (row: never) => infer I }
  ? I
  : O extends { readonly as: RowClass<infer I> }
    ? I
    : never;

/** in: columns, and instances of a class; out: the names of columns whose values the class's properties do not take. */
type Unfitting<C extends Columns, I> = {
  [P in keyof I & keyof ColumnRow<C>]: ColumnRow<C>[P] extends I[P] ? never : P;
}[keyof I & keyof ColumnRow<C>];

/**
 * in: columns and options; out: unknown where the class of the rows takes their values, else what names the property at
 * fault.
 */
type ClassFault<C extends Columns, O> = O extends { readonly as: RowClass<infer I> }
  ? [Unfitting<C, I>] extends [never]
    ? unknown
    : { readonly as: Fault<`the class's property '${Unfitting<C, I> & string}' does not take the column's values`> }
  : unknown;

/**
 * in: options; out: never of an entity without standing conditions, else "" and the names of the columns whose values
 * the database handle gives.
 */
type Hidden<O> = O extends { readonly standing: infer S } ? "" | GivenColumn<S[keyof S]> : never;

/** in: a standing condition; out: the name of its column, where the database handle gives the value. */
type GivenColumn<X> = X extends { readonly given: string; readonly column: infer N extends string } ? N : never;

/** in: options; out: whether the entity may be written. */
type Writable<O> = O extends { readonly readOnly: true } ? false : true;

/**
 * in: the type of a model's entities; out: what it has to be, an object of entities by name. Asked of itself, so that
 * a class or an interface serves, which has no index signature.
 */
export type Definitions<D> = { readonly [E in keyof D]: EntityDefinition };

/** Entities by name, whatever their names. */
export type AnyDefinitions = Readonly<Record<string, EntityDefinition>>;

/** No relations: an overload of its own, since an inference that finds nothing would allow any name. */
type NoRelations = Readonly<Record<never, AnyRelation>>;

/**
 * One entity: a table, its columns, its relations, and options. With `as` or `make` its rows are
 * instances of a class of one's own, which needs to know nothing of this library.
 */
export function entity<const C extends Columns>(
  table: string,
  columns: C,
): EntityDefinition<C, NoRelations, never, true, never>;
export function entity<const C extends Columns, const R extends Relations>(
  table: string,
  columns: C,
  relations: R,
): EntityDefinition<C, R, never, true, never>;
export function entity<const C extends Columns, const R extends Relations, const O extends EntityOptions<C>>(
  table: string,
  columns: C,
  relations: R,
  options: O & EntityOptions<C> & ClassFault<C, O>,
): EntityDefinition<C, R, InstanceOf<O>, Writable<O>, Hidden<O>>;
export function entity(
  table: string,
  columns: Columns,
  relations: Relations = {},
  options: AnyOptions = {},
): EntityDefinition {
  const call = `entity("${table}")`;
  expectOptions(call, options, optionNames);
  for (const [name, one] of Object.entries(options.standing ?? {}))
    expectOptions(`standing.${name} of ${call}`, one, ["column", "is", "given", "removed", "through"]);
  for (const index of options.indexes ?? [])
    expectOptions(`indexes of ${call}`, index, ["on", "unique", "when"] satisfies (keyof IndexDefinition)[]);
  return Object.freeze({ table, columns, relations, options }) as EntityDefinition;
}

const optionNames: readonly (keyof AnyOptions)[] = [
  ...(["readOnly", "sharedWith", "withoutKey", "formerly", "schema", "indexes", "checks", "computes"] as const),
  ...(["standing", "open", "as", "make"] as const),
];

/** The names of a model's entities. */
export type EntityName<D extends Definitions<D>> = keyof D & string;

/** in: a model's definitions and an entity's name; out: its columns. */
export type ColumnsOf<D extends Definitions<D>, E extends keyof D> = D[E]["columns"];

/** in: a model's definitions and an entity's name; out: its relations. */
export type RelationsOf<D extends Definitions<D>, E extends keyof D> = D[E]["relations"];

/** in: an entity and the names of relations, one after the other; out: the name of the entity at their end. */
type RouteTarget<D extends Definitions<D>, E extends keyof D, S extends readonly string[]> = S extends readonly [
  infer First extends string,
  ...infer Rest extends readonly string[],
]
  ? First extends keyof RelationsOf<D, E>
    ? RouteTarget<D, TargetOf<D, E, RelationsOf<D, E>[First]>, Rest>
    : never
  : E & keyof D & string;

/**
 * in: an entity and one of its relations; out: the name of its target. Asks for the property that tells
 * kinds of relation apart, so that no kind has to be compared as a whole.
 */
export type TargetOf<D extends Definitions<D>, E extends keyof D, R> = R extends {
  readonly target: infer T extends keyof D & string;
}
  ? T
  : R extends { readonly steps: infer S extends readonly string[] }
    ? RouteTarget<D, E, S>
    : never;

/** in: an entity and the names of relations; out: "many" where one of them is to many rows. */
type RouteCardinality<D extends Definitions<D>, E extends keyof D, S extends readonly string[]> = S extends readonly [
  infer First extends string,
  ...infer Rest extends readonly string[],
]
  ? CardinalityOf<D, E, RelationsOf<D, E>[First]> extends "one"
    ? RouteCardinality<D, TargetOf<D, E, RelationsOf<D, E>[First]>, Rest>
    : "many"
  : "one";

/** in: an entity and one of its relations; out: "one" or "many". */
export type CardinalityOf<D extends Definitions<D>, E extends keyof D, R> = R extends {
  readonly cardinality: infer K extends Cardinality;
}
  ? K
  : R extends { readonly steps: infer S extends readonly string[] }
    ? RouteCardinality<D, E, S>
    : "many";

/** in: an entity and the names of to-one relations; out: whether any of their rows may be missing. */
type RouteMayBeMissing<
  D extends Definitions<D>,
  E extends keyof D,
  S extends readonly string[],
  Fetched extends boolean,
> = S extends readonly [infer First extends string, ...infer Rest extends readonly string[]]
  ? MayBeMissing<D, E, RelationsOf<D, E>[First], Fetched> extends true
    ? true
    : RouteMayBeMissing<D, TargetOf<D, E, RelationsOf<D, E>[First]>, Rest, Fetched>
  : false;

/** in: an entity and a to-one relation over a key; out: whether a column of that may be null. */
type HasNullableKey<D extends Definitions<D>, E extends keyof D, R> = R extends {
  readonly holder: "source";
  readonly by: readonly (infer B extends string)[];
}
  ? true extends HasTrait<ColumnsOf<D, E>[B], "nullable">
    ? true
    : false
  : false;

/**
 * in: an entity and one of its to-one relations; out: whether its row may be missing. `Fetched`: where it is fetched,
 * which some relations refuse without it.
 */
export type MayBeMissing<D extends Definitions<D>, E extends keyof D, R, Fetched extends boolean = false> = R extends {
  readonly isLoose: infer L;
  readonly isRequired: infer I;
  readonly target: infer T extends keyof D;
}
  ? true extends L | ([D[T][typeof hidden]] extends [never] ? false : true)
    ? [Fetched, I] extends [true, true]
      ? HasNullableKey<D, E, R>
      : true
    : HasNullableKey<D, E, R>
  : R extends { readonly steps: infer S extends readonly string[] }
    ? RouteMayBeMissing<D, E, S, Fetched>
    : false;

/** A plain object of each of an entity's columns but heavy ones. A name, which editors show in place of the columns. */
export type EntityRow<D extends Definitions<D>, E extends keyof D> = {
  -readonly [P in keyof ColumnsOf<D, E> as HasTrait<ColumnsOf<D, E>[P], "heavy"> extends true ? never : P]: MemberValue<
    ColumnsOf<D, E>[P]
  >;
};

/** The row of an entity: each of its columns but heavy ones, and nothing else; or an instance of its class. */
export type PlainRow<D extends Definitions<D>, E extends keyof D> = [D[E][typeof instanceType]] extends [never]
  ? EntityRow<D, E>
  : D[E][typeof instanceType];

/** in: an entity; out: the names of the columns of its primary key. */
export type KeyColumns<D extends Definitions<D>, E extends keyof D> = KeyNames<ColumnsOf<D, E>>;

/** in: an entity; out: false where its rows are only read. */
export type IsWritable<D extends Definitions<D>, E extends keyof D> = D[E][typeof writable];

/**
 * in: an entity and one of its columns; out: whether its value is given once: of a key, a computed one, any of an
 * entity that is only read.
 */
export type IsFixed<D extends Definitions<D>, E extends keyof D, C> = D[E][typeof writable] extends false
  ? true
  : HasTrait<C, "key" | "computed" | "version">;

/** in: an entity; out: what the class of its rows has besides columns and relations. */
export type OwnMembers<D extends Definitions<D>, E extends keyof D> = [D[E][typeof instanceType]] extends [never]
  ? unknown
  : Omit<D[E][typeof instanceType], keyof ColumnsOf<D, E> | keyof RelationsOf<D, E>>;

/** in: columns; out: the names of those of the primary key. */
type KeyNames<C extends Columns> = { [P in keyof C]: HasTrait<C[P], "key"> extends true ? P : never }[keyof C];

/** in: names; out: true where there are several. The tuple stops the union from being asked one by one. */
type IsSeveral<N, Each = N> = N extends unknown ? ([Each] extends [N] ? false : true) : never;

/** in: an entity; out: its primary key: the value of the one column, or an object of the columns' values. */
export type KeyOf<D extends Definitions<D>, E extends keyof D> = [KeyNames<ColumnsOf<D, E>>] extends [never]
  ? Fault<`${E & string} has no primary key`>
  : IsSeveral<KeyNames<ColumnsOf<D, E>>> extends false
    ? MemberValue<ColumnsOf<D, E>[KeyNames<ColumnsOf<D, E>>]>
    : { readonly [P in KeyNames<ColumnsOf<D, E>>]: MemberValue<ColumnsOf<D, E>[P]> };

/** in: an entity; out: as the definition's `S`: never without standing conditions. */
export type HiddenOf<D extends Definitions<D>, E extends keyof D> = D[E][typeof hidden];
