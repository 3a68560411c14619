import type { Columns, ColumnValue, HasTrait, ValueObject } from "../columns/index.js";
import type { Fault } from "../ir/index.js";
import type { ColumnsOf, Computed, Definitions, HiddenOf, IsWritable } from "./entity.js";

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

/** in: columns, and the names of some (a type parameter: so editors lead to the columns); out: a new row's. */
type NewMembers<C extends Columns, N extends keyof C> = { -readonly [P in N]: NewMember<C[P]> };

/** in: columns; out: what a new row has of them. */
type NewColumns<C extends Columns> = NewMembers<C, Exclude<keyof C, Omittable<C> | Computed<C>>> &
  Partial<NewMembers<C, Exclude<Omittable<C>, Computed<C>>>>;

/** in: a column or a value object; out: what a new row has for it. */
type NewMember<C> =
  C extends ValueObject<infer V, infer N> ? (N extends true ? NewColumns<V> | null : NewColumns<V>) : ColumnValue<C>;

/**
 * A row to be inserted: what the database hands out, and what may be null, can be left out; what it
 * works out has no place. There is none of an entity that is only read.
 */
export type NewRow<D extends Definitions<D>, E extends keyof D> =
  IsWritable<D, E> extends false
    ? Fault<`${E & string} is read-only: it has no new rows`>
    : [HiddenOf<D, E>] extends [never]
      ? NewEntityRow<D, E>
      : WithoutGiven<NewColumns<ColumnsOf<D, E>>, HiddenOf<D, E>>;

/** in: an entity; out: what a new row has of its columns. A name, which messages have in place of all columns. */
export type NewEntityRow<D extends Definitions<D>, E extends keyof D> = NewMembers<
  ColumnsOf<D, E>,
  Exclude<keyof ColumnsOf<D, E>, Omittable<ColumnsOf<D, E>> | Computed<ColumnsOf<D, E>>>
> &
  Partial<NewMembers<ColumnsOf<D, E>, Exclude<Omittable<ColumnsOf<D, E>>, Computed<ColumnsOf<D, E>>>>>;

/** in: a new row and names of columns; out: the row, which may leave them out. */
type WithoutGiven<Row, N> = Omit<Row, N & keyof Row> & Partial<Pick<Row, N & keyof Row>>;
