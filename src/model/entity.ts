import type { AnyColumn, ColumnValue, HasTrait } from "./column.js";
import type { Cardinality, Relation } from "./relation.js";

/** The columns of an entity, by the name that code uses. */
export type Columns = Readonly<Record<string, AnyColumn>>;

/** The relations of an entity, by name. */
export type Relations = Readonly<Record<string, Relation>>;

/** One entity as the model says it: a table, its columns, its relations. */
export interface EntityDefinition<C extends Columns = Columns, R extends Relations = Relations> {
  readonly table: string;
  readonly columns: C;
  readonly relations: R;
}

/** The entities of a model, by name. */
export type Definitions = Readonly<Record<string, EntityDefinition>>;

/** No relations: an overload of its own, since an inference that finds nothing would allow any name. */
type NoRelations = Readonly<Record<never, Relation>>;

/** One entity: a table, its columns, its relations. */
export function entity<const C extends Columns>(table: string, columns: C): EntityDefinition<C, NoRelations>;
export function entity<const C extends Columns, const R extends Relations>(
  table: string,
  columns: C,
  relations: R,
): EntityDefinition<C, R>;
export function entity(table: string, columns: Columns, relations: Relations = {}): EntityDefinition {
  return Object.freeze({ table, columns, relations });
}

/** The names of a model's entities. */
export type EntityName<D extends Definitions> = keyof D & string;

/** in: a model's definitions and an entity's name; out: its columns. */
export type ColumnsOf<D extends Definitions, E extends keyof D> = D[E]["columns"];

/** in: a model's definitions and an entity's name; out: its relations. */
export type RelationsOf<D extends Definitions, E extends keyof D> = D[E]["relations"];

/** in: a relation; out: the name of its target. */
export type TargetOf<R> = R extends Relation<Cardinality, infer T, string> ? T : never;

/** in: a relation; out: "one" or "many". */
export type CardinalityOf<R> = R extends Relation<infer K, string, string> ? K : never;

/** in: an entity's columns and one of its to-one relations; out: whether its row may be missing. */
export type MayBeMissing<C extends Columns, R> =
  R extends Relation<"one", string, infer B> ? (true extends HasTrait<C[B], "nullable"> ? true : false) : false;

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
