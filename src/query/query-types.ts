import type { HasTrait } from "../columns/index.js";
import type { Order, Predicate } from "../expression/index.js";
import type { Fault, OutsideRule, Query, Strategy } from "../ir/index.js";
import type {
  CardinalityOf,
  ColumnsOf,
  Definitions,
  Entity,
  EntityName,
  KeyOf,
  MayBeMissing,
  MemberValue,
  PlainRow,
  RelationsOf,
  TargetOf,
} from "../model/index.js";
import type { Combined, Joining, Selecting, TreePosition } from "./combined-types.js";
import type { Reference } from "./reference.js";
import type { Ruled } from "./refused-types.js";
import type { Selected, Selection } from "./selection.js";

/** Narrows, orders and cuts a query; each method returns a new query and leaves the old one as it was. */
export interface Narrowing<D extends Definitions<D>, E extends EntityName<D>> {
  /** Only the rows for which the predicate is true; several calls must all be true. */
  where(predicate: (row: Reference<D, E>) => Predicate): this;
  /**
   * Sorts the rows, after what earlier calls sorted by. Ties, and a query without any order, go by
   * primary key, so that one query has one answer.
   */
  orderBy(order: (row: Reference<D, E>) => Order | readonly Order[]): this;
  /** At most so many rows of the root, whatever it reaches; inside a reach: of each owner. */
  limit(rows: number): this;
  /** Leaves out so many rows at the beginning; inside a reach: of each owner. */
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
  /** Says that a finding of a ledger or an audit is meant here, and why: it is told apart from the others. */
  accept(kind: string, reason: string): this;
  /** Adds to the query only where the value is there: neither undefined nor null. */
  given<V>(value: V, then: (query: this, value: NonNullable<V>) => this): this;
}

/** A query of an entity, whose rows are plain rows with what was reached. */
export interface EntityQuery<D extends Definitions<D>, E extends EntityName<D>, Row>
  extends Narrowing<D, E>,
    Query<Row> {
  /** Only the row of a primary key: its value, or an object of the values of its columns where there are several. */
  byKey(key: KeyOf<D, E>): this;
  /**
   * Brings related rows along: names of relations, each with true, with an object of further
   * relations, or with a function that narrows the query of the relation's target.
   */
  reach<const S extends ReachShape<D, E>>(
    shape: S & NoInfer<ReachShape<D, E> & ReachFaults<D, E, S>>,
  ): EntityQuery<D, E, Reached<D, E, Row, NoInfer<S>>>;
  /**
   * Beside each row those of an entity, or of another query, for which the condition is true; rows without any are left
   * out.
   */
  readonly join: Joining<[Reference<D, E>]>["join"];
  /** Joins rows of another entity or query, and keeps rows that have none: what stands beside them is null. */
  readonly leftJoin: Joining<[Reference<D, E>]>["leftJoin"];
  /** Beside each row every row of an entity, or of another query. */
  readonly crossJoin: Joining<[Reference<D, E>]>["crossJoin"];
  /** Makes one row of all rows that have the same values. */
  readonly groupBy: Joining<[Reference<D, E>]>["groupBy"];
  /** Groups by all of the keys, then by all but the last, and so on down to all rows together. */
  readonly rollup: Joining<[Reference<D, E>]>["rollup"];
  /** Groups by several sets of keys, which are named. */
  readonly groupingSets: Joining<[Reference<D, E>]>["groupingSets"];
  /** One row of all rows, also of none: what the function works out of them. */
  readonly totals: Joining<[Reference<D, E>]>["totals"];
  /**
   * Locks the rows of the entity itself until the transaction ends: for `update`, so that nobody else changes or locks
   * them, or for `share`, so that nobody changes them. What another transaction has locked is waited for, left out
   * (`skip locked`), or an error at once (`no wait`: `BUSY`). SQLite locks no rows: an error before anything is sent.
   */
  lock(strength: "update" | "share", taken?: "skip locked" | "no wait"): this;
  /**
   * These rows, and all that a relation to the entity itself leads to from them, level by level: a whole tree, down or
   * up. Callbacks get each row with its place: its depth, 0 for the rows that it begins with, and its path, the keys
   * from there on as a JSON Pointer with a slash at its end ("/1/7/"). No row is gone on from twice on one path.
   */
  descend(relation: OwnRelation<D, E>): Combined<[Reference<D, E>, TreePosition]>;
  /** Brings only these columns of each row, heavy ones too, as a plain object; what is reached stays. */
  columns<const P extends keyof ColumnsOf<D, E>>(...names: readonly P[]): EntityQuery<D, E, Narrowed<D, E, Row, P>>;
  /** Inside a reach: how many rows there are for each owner, in place of the rows. */
  counted(): Counted;
  /** Has all statements of the query see one state of the data. SQLite's always do. */
  snapshot(): this;
  /** Has standing conditions of these names not hold for the query and all that it looks at: hidden rows are there. */
  lift(...names: readonly string[]): this;
  /**
   * Sets the rule for reading what the query does not bring, on a live entity of a unit of work: it is loaded when it
   * is awaited, refused (`OutsideReachError`), or blank: an empty list, null. With names: of these relations and
   * columns. It holds for all below the query's rows where nothing narrower says otherwise. Code that reads what the
   * query refuses does not compile.
   */
  outside<const R extends OutsideRule, const N extends keyof ColumnsOf<D, E> | keyof RelationsOf<D, E>>(
    rule: R,
    ...names: readonly N[]
  ): EntityQuery<D, E, Ruled<Row, R, N, keyof ColumnsOf<D, E> | keyof RelationsOf<D, E>>>;
  /** Sets the strategy for what is reached; inside a reach: for that relation and what it reaches in turn. */
  how(strategy: Strategy): this;
  /** Brings for each row only what the function names: an expression, or an object of such. */
  select<const S extends Selection>(projection: (row: Reference<D, E>) => S): ProjectedQuery<D, E, S>;
}

/** in: an entity; out: the names of its relations that lead to the entity itself. */
type OwnRelation<D extends Definitions<D>, E extends EntityName<D>> = {
  [P in keyof RelationsOf<D, E> & string]: TargetOf<D, E, RelationsOf<D, E>[P]> extends E ? P : never;
}[keyof RelationsOf<D, E> & string];

declare const counted: unique symbol;

/** The number of a relation's rows, in place of them. */
export interface Counted {
  /** For the types only. @internal */
  readonly [counted]: true;
}

/** in: a row and names of columns; out: the row with only these columns, and with what was reached. */
type Narrowed<D extends Definitions<D>, E extends EntityName<D>, Row, P extends keyof ColumnsOf<D, E>> = {
  -readonly [N in keyof (Pick<ColumnsOf<D, E>, P> & Omit<Row, keyof ColumnsOf<D, E>>)]: N extends P
    ? MemberValue<ColumnsOf<D, E>[N]>
    : N extends keyof Row
      ? Row[N]
      : never;
} & {};

/** in: a row, the name of a relation to the row's own entity, and its cardinality; out: the row with all below it. */
export type Deep<Row, P extends string, K> = Row & {
  [N in P]: K extends "many" ? Deep<Row, P, K>[] : Deep<Row, P, K> | null;
};

/** The further methods of the query of a reached relation, where it leads to the entity's own rows. */
export interface Deepening<D extends Definitions<D>, E extends EntityName<D>, P extends string, R> {
  /**
   * Goes on from the rows that were reached, by the same relation, so many levels, or until nothing more is found: a
   * whole tree, down or up. What is said of the rows holds on every level. A row
   * that is on the way to another is not put below it again.
   */
  deep(levels?: number): Query<Deep<PlainRow<D, E>, P, CardinalityOf<D, E, R>>>;
}

/** in: the type of an entity of a model, and of rows; out: the type of its queries that give such rows. */
export type QueryOf<X, Row> = X extends Entity<infer D, infer E> ? EntityQuery<D, E, Row> : never;

/** A query of an entity that brings only what its projection names. `S`: what the projection gives. */
export interface ProjectedQuery<D extends Definitions<D>, E extends EntityName<D>, S>
  extends Narrowing<D, E>,
    Selecting<S> {
  /** Each different row once. */
  distinct(): ProjectedQuery<D, E, S>;
  /** Sets the strategy by which it is fetched where it is reached itself. */
  how(strategy: Strategy): this;
}

/** The query of a reached to-one relation: there is one row at most, so that there is nothing to narrow. */
export interface OneQuery<D extends Definitions<D>, E extends EntityName<D>, Row> extends Query<Row> {
  /** Brings related rows along, as on any query. */
  reach<const S extends ReachShape<D, E>>(
    shape: S & NoInfer<ReachShape<D, E> & ReachFaults<D, E, S>>,
  ): OneQuery<D, E, Reached<D, E, Row, NoInfer<S>>>;
  /** Brings only these columns of the row, heavy ones too, as a plain object. */
  columns<const P extends keyof ColumnsOf<D, E>>(...names: readonly P[]): OneQuery<D, E, Narrowed<D, E, Row, P>>;
  /** Sets the rule for reading what it does not bring, as on any query. */
  outside<const R extends OutsideRule, const N extends keyof ColumnsOf<D, E> | keyof RelationsOf<D, E>>(
    rule: R,
    ...names: readonly N[]
  ): OneQuery<D, E, Ruled<Row, R, N, keyof ColumnsOf<D, E> | keyof RelationsOf<D, E>>>;
  /** Sets the strategy for this relation and what it reaches in turn. */
  how(strategy: Strategy): this;
  /** Brings only what the function names. */
  select<const S extends Selection>(projection: (row: Reference<D, E>) => S): Query<Selected<S>>;
}

/** in: a relation; out: the query that a reach's function gets. */
type RelationQuery<D extends Definitions<D>, E extends EntityName<D>, R, P extends string> = (CardinalityOf<
  D,
  E,
  R
> extends "one"
  ? OneQuery<D, TargetOf<D, E, R>, PlainRow<D, TargetOf<D, E, R>>>
  : EntityQuery<D, TargetOf<D, E, R>, PlainRow<D, TargetOf<D, E, R>>>) &
  (TargetOf<D, E, R> extends E ? Deepening<D, E, P, R> : unknown);

/** in: a relation; out: what a reach takes for it. */
type ReachValue<D extends Definitions<D>, E extends EntityName<D>, R, P extends string> =
  | true
  | ReachShape<D, TargetOf<D, E, R>>
  | ((query: RelationQuery<D, E, R, P>) => Query | Counted);

/** How far a query of entity `E` reaches. */
export type ReachShape<D extends Definitions<D>, E extends EntityName<D>> = {
  readonly [P in keyof RelationsOf<D, E>]?: ReachValue<D, E, RelationsOf<D, E>[P], P & string>;
};

/** in: a relation of `E`; out: the names of the columns of `E` that it goes out from. */
type KeyNames<D extends Definitions<D>, E extends EntityName<D>, R> = R extends {
  readonly holder: "source";
  readonly by: readonly (infer B extends string)[];
}
  ? B
  : R extends { readonly steps: readonly [infer First extends string, ...string[]] }
    ? First extends keyof RelationsOf<D, E>
      ? KeyNames<D, E, RelationsOf<D, E>[First]>
      : never
    : { [P in keyof ColumnsOf<D, E>]: HasTrait<ColumnsOf<D, E>[P], "key"> extends true ? P : never }[keyof ColumnsOf<
        D,
        E
      >];

/**
 * in: a reach's shape; out: the columns that rows in memory need for it. None as long as the shape is not yet inferred,
 * which is so while the compiler has its functions still before it.
 */
export type ReachKeys<D extends Definitions<D>, E extends EntityName<D>, S> =
  ReachShape<D, E> extends S
    ? object
    : {
        readonly [N in KeyNames<D, E, RelationsOf<D, E>[keyof S & keyof RelationsOf<D, E>]> &
          keyof ColumnsOf<D, E>]: MemberValue<ColumnsOf<D, E>[N]>;
      };

/** in: a reach's shape, of relations only; out: the faults inside of it. */
type InnerFaults<D extends Definitions<D>, E extends EntityName<D>, S> = {
  readonly [P in keyof S]: S[P] extends true | ((query: never) => unknown)
    ? unknown
    : ReachFaults<D, TargetOf<D, E, RelationsOf<D, E>[P & keyof RelationsOf<D, E>]>, S[P]>;
};

/**
 * in: a reach's shape; out: an object type that demands the impossible of names that are no relations.
 * A shape without a shape inside is done with at once, as most are.
 */
export type ReachFaults<D extends Definitions<D>, E extends EntityName<D>, S> = keyof S extends keyof RelationsOf<D, E>
  ? S[keyof S] extends true | ((query: never) => unknown)
    ? unknown
    : InnerFaults<D, E, S>
  : { readonly [P in Exclude<keyof S, keyof RelationsOf<D, E>>]: Fault<`${E} has no relation '${P & string}'`> };

/** in: a relation's target and what the reach has for it; out: the type of one reached row. */
type ReachedRow<D extends Definitions<D>, E extends EntityName<D>, S> = S extends true
  ? PlainRow<D, E>
  : S extends (query: never) => Query<infer Row>
    ? Row
    : S extends (query: never) => Counted
      ? Counted
      : Reached<D, E, PlainRow<D, E>, S>;

/** in: a relation of `E` and one reached row of its target; out: the type of the reached property. */
type ReachedProperty<D extends Definitions<D>, E extends EntityName<D>, R, Row> = Row extends Counted
  ? number
  : CardinalityOf<D, E, R> extends "many"
    ? Row[]
    : MayBeMissing<D, E, R, true> extends true
      ? Row | null
      : Row;

/** in: a row and a reach's shape; out: the row with what is reached. */
export type Reached<D extends Definitions<D>, E extends EntityName<D>, Row, S> = ReachedMembers<
  D,
  E,
  Row,
  S,
  Row & RelationsOf<D, E>,
  keyof Row | (keyof S & keyof RelationsOf<D, E>)
>;

/** in: as `Reached`, all that it may have, and its names (a type parameter: so editors lead to the model). */
type ReachedMembers<D extends Definitions<D>, E extends EntityName<D>, Row, S, All, N extends keyof All> = {
  -readonly [P in N]: P extends keyof S
    ? P extends keyof RelationsOf<D, E>
      ?
          | ReachedProperty<
              D,
              E,
              RelationsOf<D, E>[P],
              ReachedRow<D, TargetOf<D, E, RelationsOf<D, E>[P]>, NonNullable<S[P]>>
            >
          | (undefined extends S[P] ? undefined : never)
      : never
    : P extends keyof Row
      ? Row[P]
      : never;
};
