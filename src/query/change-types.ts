import type {
  ColumnKind,
  Columns,
  ColumnValue,
  ComparedKind,
  HasTrait,
  kindOf,
  ValueObject,
} from "../columns/index.js";
import type { Expression } from "../expression/index.js";
import type { Fault, Query, SelectionOf } from "../ir/index.js";
import type {
  ColumnsOf,
  Definitions,
  Entity,
  EntityName,
  IsWritable,
  KeyColumns,
  NewRow,
  OwnRow,
} from "../model/index.js";

/** in: a column; out: what a change may give it where its value is not the caller's to give. */
type NotGiven<C> =
  HasTrait<C, "computed"> extends true
    ? Fault<"the database computes this column">
    : Fault<"each change raises the version by itself">;

/** in: a column or a value object; out: what a change may give it, a value or an expression. */
type ChangeValue<C> =
  C extends ValueObject<infer V, infer N>
    ? Changes<V> | (N extends true ? null : never)
    : HasTrait<C, "computed" | "version"> extends true
      ? NotGiven<C>
      : C extends { readonly [kindOf]: infer K extends ColumnKind }
        ? ColumnValue<C> | Expression<ColumnValue<C>, ComparedKind<K>>
        : never;

/** in: columns; out: what a change may say of them. */
export type Changes<C extends Columns> = { readonly [P in keyof C]?: ChangeValue<C[P]> };

/** Changes that an update makes to a row's columns: values, or expressions of the row. */
export type EntityChanges<D extends Definitions<D>, E extends keyof D> =
  IsWritable<D, E> extends false ? Fault<`${E & string} is only read`> : ColumnChanges<D, E>;

/** Changes of an entity's columns. A name, which messages have in place of all columns. */
export type ColumnChanges<D extends Definitions<D>, E extends keyof D> = {
  readonly [P in keyof ColumnsOf<D, E>]?: ChangeValue<ColumnsOf<D, E>[P]>;
};

/** in: columns; out: values for some of them, no expressions. */
type PlainChanges<C extends Columns> = {
  readonly [P in keyof C]?: C[P] extends ValueObject<infer V, infer N>
    ? PlainChanges<V> | (N extends true ? null : never)
    : HasTrait<C[P], "computed"> extends true
      ? NotGiven<C[P]>
      : ColumnValue<C[P]>;
};

/** A row that is named by its key, with what some of its columns are given. */
export type RowChange<D extends Definitions<D>, E extends keyof D> =
  IsWritable<D, E> extends false
    ? Fault<`${E & string} is only read`>
    : PlainChanges<ColumnsOf<D, E>> & Pick<Required<PlainChanges<ColumnsOf<D, E>>>, KeyColumns<D, E>>;

/** in: the type of an entity of a model; out: what an update gives its columns. */
export type ChangesOf<X> = X extends Entity<infer D, infer E> ? EntityChanges<D, E> : never;

/** in: columns; out: what a projection may give them: expressions of their kinds. */
type KindsOf<C extends Columns> = {
  readonly [P in keyof C]?: C[P] extends ValueObject<infer V, infer _N>
    ? KindsOf<V>
    : C[P] extends { readonly [kindOf]: infer K extends ColumnKind }
      ? Expression<unknown, ComparedKind<K>>
      : unknown;
};

/** A query of new rows, whose values are of the kinds of the columns that they are for. */
export type QueryOfRows<D extends Definitions<D>, E extends EntityName<D>> = Query<NewRow<D, E>> &
  Partial<SelectionOf<KindsOf<ColumnsOf<D, E>>>>;

/** How an upsert finds the rows that are there, and what becomes of them. */
export interface UpsertOptions<D extends Definitions<D>, E extends keyof D> {
  /**
   * The columns by which a row is found: those of the primary key, or others that are unique together. MariaDB
   * looks for any unique key whatever is said here.
   */
  readonly by?: readonly (keyof ColumnsOf<D, E> & string)[];
  /**
   * Returns the changes to a row that is there, of its own columns and those of the new row; all that the new row
   * brings where it is left out. An empty object leaves the row as it is.
   */
  readonly set?: (old: OwnRow<ColumnsOf<D, E>>, fresh: OwnRow<ColumnsOf<D, E>>) => EntityChanges<D, E>;
}
