import type { ValueObject } from "../columns/index.js";
import type { Fault } from "../expression/index.js";
import type {
  CardinalityOf,
  ColumnRow,
  ColumnsOf,
  Definitions,
  EntityName,
  FixedColumns,
  HasClass,
  MayBeMissing,
  MemberValue,
  NewRow,
  OwnMembers,
  PlainRow,
  RelationsOf,
  TargetOf,
} from "../model/index.js";

declare const lazyKey: unique symbol;
declare const liveKey: unique symbol;

/** What is not here yet: awaiting it loads it, at once for all entities that one statement brought together. */
export interface Lazy<out T> extends PromiseLike<T> {
  /** For the types only. @internal */
  readonly [lazyKey]: T;
}

/** What every live entity is, by the name of its entity. */
export interface LiveEntity<E extends string = string> {
  /** For the types only. @internal */
  readonly [liveKey]: E;
}

/** That a query brings an entity's columns as they are, and nothing else: said in one word, since editors show it. */
export type Plain = "plain";

/** in: a plain row of an entity; out: the same, in one word where it has the entity's columns and nothing else. */
type Brought<D extends Definitions<D>, E extends EntityName<D>, Row> = [keyof Row, keyof PlainRow<D, E>] extends [
  keyof PlainRow<D, E>,
  keyof Row,
]
  ? Plain
  : Row;

/** in: a plain row of an entity, which a query brings; out: the live entity that has what is in it. */
export type BroughtLive<D extends Definitions<D>, E extends EntityName<D>, Row> = Live<D, E, Brought<D, E, Row>>;

/** in: what a query brings, maybe in one word; out: the row, with the columns that a class of one's own does not speak of. */
type RowOf<D extends Definitions<D>, E extends EntityName<D>, Row> = Row extends Plain
  ? ColumnRow<ColumnsOf<D, E>>
  : HasClass<D, E> extends true
    ? keyof PlainRow<D, E> extends keyof Row
      ? Row & ColumnRow<ColumnsOf<D, E>>
      : Row
    : Row;

/** in: a column or a value object; out: the type of its values, which can be changed in place. */
type LiveValue<C> =
  C extends ValueObject<infer V, infer N>
    ? { -readonly [P in keyof V]: LiveValue<V[P]> } | (N extends true ? null : never)
    : MemberValue<C>;

/** in: a row of what a query brings, a name and its value; out: the value where the query brings it, else one to be awaited. */
type Here<Row, P, V> = P extends keyof Row ? V : V | Lazy<V>;

/** in: a relation and a reached row of it; out: what the relation's property has. */
type LiveRelated<D extends Definitions<D>, E extends EntityName<D>, R, Reached> =
  CardinalityOf<D, E, R> extends "many"
    ? readonly BroughtLive<D, TargetOf<D, E, R>, Reached extends readonly (infer Row)[] ? Row : never>[]
    : BroughtLive<D, TargetOf<D, E, R>, NonNullable<Reached>> | (null extends Reached ? null : never);

/** in: a relation that a query does not reach; out: what its property has once it is awaited. */
type LiveWhole<D extends Definitions<D>, E extends EntityName<D>, R> =
  CardinalityOf<D, E, R> extends "many"
    ? readonly Live<D, TargetOf<D, E, R>>[]
    : Live<D, TargetOf<D, E, R>> | (MayBeMissing<D, E, R, true> extends true ? null : never);

/** in: an entity, a plain row of it and one of its relations; out: what the relation's property has. */
type LiveProperty<
  D extends Definitions<D>,
  E extends EntityName<D>,
  Row,
  P extends keyof RelationsOf<D, E>,
> = P extends keyof RowOf<D, E, Row>
  ? LiveRelated<D, E, RelationsOf<D, E>[P], RowOf<D, E, Row>[P]>
  : LiveWhole<D, E, RelationsOf<D, E>[P]> | Lazy<LiveWhole<D, E, RelationsOf<D, E>[P]>>;

/** in: an entity; out: the names of its relations whose property can be given another row. */
type Settable<D extends Definitions<D>, E extends EntityName<D>> = {
  [P in keyof RelationsOf<D, E>]: RelationsOf<D, E>[P] extends { readonly cardinality: "one"; readonly by: unknown }
    ? P
    : never;
}[keyof RelationsOf<D, E>];

/**
 * One row of a unit of work: the same object whatever query brought it. Its columns are there, and changes of them are
 * written; heavy ones, and relations that the query did not reach, are there once they are awaited. `Row`: the plain row
 * that the query brings, where it is another than the entity's columns.
 */
export type Live<D extends Definitions<D>, E extends EntityName<D>, Row = Plain> = {
  -readonly [P in Exclude<keyof ColumnsOf<D, E>, FixedColumns<D, E>>]: Here<
    RowOf<D, E, Row>,
    P,
    LiveValue<ColumnsOf<D, E>[P]>
  >;
} & { readonly [P in FixedColumns<D, E>]: Here<RowOf<D, E, Row>, P, MemberValue<ColumnsOf<D, E>[P]>> } & {
  -readonly [P in Settable<D, E>]: LiveProperty<D, E, Row, P>;
} & {
  readonly [P in Exclude<keyof RelationsOf<D, E>, Settable<D, E>>]: LiveProperty<D, E, Row, P>;
} & OwnMembers<D, E> &
  LiveEntity<E>;

/** in: an entity; out: the names of the columns that hold the keys of its to-one relations. */
type ForeignKeys<D extends Definitions<D>, E extends EntityName<D>> = {
  [P in keyof RelationsOf<D, E>]: RelationsOf<D, E>[P] extends {
    readonly holder: "source";
    readonly by: readonly (infer B)[];
  }
    ? B
    : never;
}[keyof RelationsOf<D, E>];

/** in: a relation; out: what a new entity can be given for it: entities, or objects that become new ones. */
type AddedRelated<D extends Definitions<D>, E extends EntityName<D>, R> =
  CardinalityOf<D, E, R> extends "many"
    ? readonly (Live<D, TargetOf<D, E, R>> | AddedRow<D, TargetOf<D, E, R>>)[]
    : Live<D, TargetOf<D, E, R>> | AddedRow<D, TargetOf<D, E, R>> | null;

/** in: an entity; out: the names of its relations over one key. */
type KeyRelations<D extends Definitions<D>, E extends EntityName<D>> = {
  [P in keyof RelationsOf<D, E>]: RelationsOf<D, E>[P] extends { readonly kind: "key" } ? P : never;
}[keyof RelationsOf<D, E>];

/** A new entity: a new row, with entities in place of keys where that is at hand, and what belongs to it. */
export type AddedRow<D extends Definitions<D>, E extends EntityName<D>> =
  NewRow<D, E> extends Fault<string>
    ? NewRow<D, E>
    : Omit<NewRow<D, E>, ForeignKeys<D, E> & string> &
        Partial<Pick<NewRow<D, E>, ForeignKeys<D, E> & keyof NewRow<D, E>>> & {
          readonly [P in KeyRelations<D, E>]?: AddedRelated<D, E, RelationsOf<D, E>[P]>;
        };
