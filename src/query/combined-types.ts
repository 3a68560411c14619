import type { ColumnKind } from "../columns/index.js";
import type { Expression, ExpressionOf, NumberExpression, Order, Predicate, Text } from "../expression/index.js";
import type { Fault, Query, SelectionOf } from "../ir/index.js";
import type { Definitions, Entity, EntityName } from "../model/index.js";
import type { AllRows, Group, GroupKeys, NamedKeys, PartGroup } from "./group.js";
import type { Reference } from "./reference.js";
import type { Selected, Selection } from "./selection.js";

/** A query whose rows are what a projection names. `S`: what its function gives. */
export interface Selecting<out S> extends Query<Selected<S>>, SelectionOf<S> {}

/** in: what a projection gives; out: the same where there may be no row. */
export type Optional<S> =
  S extends Expression<infer V, infer K extends ColumnKind>
    ? ExpressionOf<K, V | null>
    : { readonly [P in keyof S]: Optional<S[P]> };

/** Narrows, orders and cuts rows of several sources side by side; `A`: the arguments of callbacks. */
export interface NarrowedRows<A extends readonly unknown[]> {
  /** Only the rows for which the predicate is true; several calls must all be true. */
  where(predicate: (...rows: A) => Predicate): this;
  /** Sorts the rows, after what earlier calls sorted by; ties go by primary keys. */
  orderBy(order: (...rows: A) => Order | readonly Order[]): this;
  /** At most so many rows. */
  limit(rows: number): this;
  /** Leaves out so many rows at the beginning. */
  offset(rows: number): this;
  /** Only the rows after a place in the query's order, which a portion gave: keyset paging. */
  after(cursor: string): this;
  /** Only the rows before a place in the query's order; with a limit: the last of them. */
  before(cursor: string): this;
  /**
   * Has PostgreSQL plan the query anew at each run, for the values of that run, in place of keeping one plan for all of
   * them: for values that differ much in how many rows they lead to. Other engines always do.
   */
  plannedAnew(): this;
  /** Adds to the query only where the value is there: neither undefined nor null. */
  given<V>(value: V, then: (query: this, value: NonNullable<V>) => this): this;
}

/** Joins rows of other sources to those that are there. */
export interface Joining<A extends readonly unknown[]> {
  /**
   * Beside each row those of an entity, or of another query, for which the condition is true; rows without any are left
   * out.
   */
  join<D extends Definitions<D>, E extends EntityName<D>>(
    other: Entity<D, E>,
    on: (...rows: [...A, Reference<D, E>]) => Predicate,
  ): Combined<[...A, Reference<D, E>]>;
  join<S>(other: Selecting<S>, on: (...rows: [...A, S]) => Predicate): Combined<[...A, S]>;
  /** Joins rows of another entity or query, and keeps rows that have none: what stands beside them is null. */
  leftJoin<D extends Definitions<D>, E extends EntityName<D>>(
    other: Entity<D, E>,
    on: (...rows: [...A, Reference<D, E>]) => Predicate,
  ): Combined<[...A, Reference<D, E, true>]>;
  leftJoin<S>(other: Selecting<S>, on: (...rows: [...A, S]) => Predicate): Combined<[...A, Optional<S>]>;
  /** Beside each row every row of an entity, or of another query. */
  crossJoin<D extends Definitions<D>, E extends EntityName<D>>(other: Entity<D, E>): Combined<[...A, Reference<D, E>]>;
  crossJoin<S>(other: Selecting<S>): Combined<[...A, S]>;
  /** Makes one row of all rows that have the same values. */
  groupBy<const K extends GroupKeys>(keys: (...rows: A) => NoKeys<K>): Grouped<A, K>;
  /**
   * Groups by all of the keys, then by all but the last, and so on down to all rows together: totals below totals. Keys
   * by which a row is not grouped are missing in it; `isTotal` tells such from others. Queries that are put together,
   * on every engine.
   */
  rollup<const K extends NamedKeys, const S extends Selection>(
    keys: (...rows: A) => K,
    work: (group: PartGroup<A, K>) => S,
  ): Derived<S>;
  /** Groups by several sets of keys, which are named: `[["town", "year"], ["town"], []]`. */
  groupingSets<const K extends NamedKeys, const S extends Selection>(
    keys: (...rows: A) => K,
    sets: readonly (readonly (keyof K & string)[])[],
    work: (group: PartGroup<A, K>) => S,
  ): Derived<S>;
  /**
   * One row of all rows, also of none: what the function works out of them, such as `{ open: all.count(), worth:
   * all.sum((i) => i.price) }`. Of no rows a count is 0, and the rest missing.
   */
  totals<const S extends Selection>(work: (all: AllRows<A>) => S): Totals<S>;
}

/** in: what a function groups by; out: the same, or a fault where it names nothing. */
type NoKeys<K> = K &
  (keyof K extends never ? Fault<"totals() works things out of all rows; groupBy() needs keys"> : unknown);

declare const isTotals: unique symbol;

/** A query of one row, of what was worked out of all of its rows. */
export interface Totals<out S> extends Selecting<S> {
  /** For the types only. @internal */
  readonly [isTotals]: true;
}

/** The position of a row in a tree. */
export interface TreePosition {
  /** How many steps it is from a row that the query began with. */
  readonly depth: NumberExpression<number, "integer">;
  /** The keys of the rows on the way, its own the last: "/1/7/". */
  readonly path: Text<string>;
}

/** Rows of several sources side by side; it becomes a query by `select` or `groupBy`. */
export interface Combined<A extends readonly unknown[]> extends NarrowedRows<A>, Joining<A> {
  /** Brings for each row what the function names. */
  select<const S extends Selection>(projection: (...rows: A) => S): SelectedRows<A, S>;
}

/** Rows of several sources, whatever they are: whether there is one can be asked without naming anything of them. */
export type AnyRows = Query | { readonly crossJoin: unknown; readonly totals: unknown };

/** A query that brings what its projection names. */
export interface SelectedRows<A extends readonly unknown[], S> extends NarrowedRows<A>, Selecting<S> {
  /** Each different row once. */
  distinct(): SelectedRows<A, S>;
}

/** Another query's rows as a source. */
export interface Derived<S> extends NarrowedRows<[S]>, Joining<[S]>, Selecting<S> {
  /**
   * Beside each row those of another query for which the condition is true; rows of either without any are kept, and
   * what stands beside them is missing. PostgreSQL wants a condition of equal values.
   */
  fullJoin<T>(other: Selecting<T>, on: (row: S, other: T) => Predicate): Combined<[Optional<S>, Optional<T>]>;
  /** Brings for each row what the function names. */
  select<const T extends Selection>(projection: (row: S) => T): SelectedRows<[S], T>;
}

/** Groups of rows; it becomes a query by `select`. */
export interface Grouped<A extends readonly unknown[], K> {
  /** Only the groups for which the predicate is true; several calls must all be true. */
  having(predicate: (group: Group<A, K>) => Predicate): this;
  /** Sorts the groups; ties go by what they are grouped by. */
  orderBy(order: (group: Group<A, K>) => Order | readonly Order[]): this;
  /** At most so many groups. */
  limit(groups: number): this;
  /** Leaves out so many groups at the beginning. */
  offset(groups: number): this;
  /** Brings for each group what the function names. */
  select<const S extends Selection>(projection: (group: Group<A, K>) => S): Selecting<S> & Grouped<A, K>;
}
