import type { AnyColumn, ColumnValue, HasTrait } from "./column.js";
import type { AnyRelation, Cardinality } from "./relation.js";

/** The columns of an entity, by the name that code uses. */
export type Columns = Readonly<Record<string, AnyColumn>>;

/** The relations of an entity, by name. */
export type Relations = Readonly<Record<string, AnyRelation>>;

/** One entity as the model says it: a table, its columns, its relations. */
export interface EntityDefinition<C extends Columns = Columns, R extends Relations = Relations> {
  readonly table: string;
  readonly columns: C;
  readonly relations: R;
  readonly options: EntityOptions;
}

/** An index over several columns; "due desc" for one in descending order. */
export interface IndexDefinition<N extends string = string> {
  readonly on: readonly (N | `${N} desc`)[];
  /** Whether no two rows may have the same values in all of them. */
  readonly unique?: boolean;
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

/** One entity: a table, its columns, its relations, and options. */
export function entity<const C extends Columns>(table: string, columns: C): EntityDefinition<C, NoRelations>;
export function entity<const C extends Columns, const R extends Relations>(
  table: string,
  columns: C,
  relations: R,
  options?: EntityOptions<keyof C & string>,
): EntityDefinition<C, R>;
export function entity(
  table: string,
  columns: Columns,
  relations: Relations = {},
  options: EntityOptions = {},
): EntityDefinition {
  return Object.freeze({ table, columns, relations, options });
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
 * kinds of relation apart rather than for the kind, which costs the compiler a third.
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

/** The plain row of an entity: each of its columns but heavy ones, and nothing else. */
export type PlainRow<D extends Definitions, E extends keyof D> = {
  [C in keyof ColumnsOf<D, E> as HasTrait<ColumnsOf<D, E>[C], "heavy"> extends true ? never : C]: ColumnValue<
    ColumnsOf<D, E>[C]
  >;
} & {};

/** in: columns; out: the names of those that a new row may leave out. */
type Omittable<C extends Columns> = {
  [P in keyof C]: HasTrait<C[P], "generated" | "defaulted" | "nullable"> extends true ? P : never;
}[keyof C];

/** A row to be inserted: what the database hands out, and what may be null, can be left out. */
export type NewRow<D extends Definitions, E extends keyof D> = {
  -readonly [P in Exclude<keyof ColumnsOf<D, E>, Omittable<ColumnsOf<D, E>>>]: ColumnValue<ColumnsOf<D, E>[P]>;
} & {
  -readonly [P in Omittable<ColumnsOf<D, E>>]?: ColumnValue<ColumnsOf<D, E>[P]>;
};
