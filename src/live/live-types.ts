import type { HasTrait, ValueObject } from "../columns/index.js";
import type { Fault } from "../ir/index.js";
import type {
  CardinalityOf,
  ColumnsOf,
  Definitions,
  Entity,
  EntityName,
  IsFixed,
  MayBeMissing,
  MemberValue,
  NewRow,
  OwnMembers,
  PlainRow,
  RelationsOf,
  TargetOf,
} from "../model/index.js";
import type { EntityQuery, RefusedNames } from "../query/index.js";

declare const liveKey: unique symbol;

/** A value that is not here yet: awaiting it loads it, at once for all entities that one statement brought together. */
export interface Lazy<out T> extends PromiseLike<T> {
  /** For the types only: nothing is at once lazy, a list, and an entity. @internal */
  readonly [liveKey]: "lazy";
}

/** The entities of a to-many relation. */
export interface LiveList<out L> extends ReadonlyArray<L> {
  /** For the types only. @internal */
  readonly [liveKey]: "list";
}

/** The members that every live entity has, by the name of its entity. */
export interface LiveEntity<E extends string = string> {
  /** For the types only. @internal */
  readonly [liveKey]: `of ${E}`;
}

/** in: a column or a value object; out: the type of its values, which can be changed in place. */
type LiveValue<C> =
  C extends ValueObject<infer V, infer N>
    ? { -readonly [P in keyof V]: LiveValue<V[P]> } | (N extends true ? null : never)
    : MemberValue<C>;

/** in: a column; out: what its property has: heavy ones are awaited. */
type LiveColumn<C> = HasTrait<C, "heavy"> extends true ? LiveValue<C> | Lazy<LiveValue<C>> : LiveValue<C>;

/** in: an entity; out: the names of the columns that are given once. */
type FixedNames<D extends Definitions<D>, E extends EntityName<D>> = {
  [P in keyof ColumnsOf<D, E>]: IsFixed<D, E, ColumnsOf<D, E>[P]> extends true ? P : never;
}[keyof ColumnsOf<D, E>];

/** in: an entity; out: its columns: the same type whatever is reached, which saves the compiler half of the work. */
type LiveColumns<D extends Definitions<D>, E extends EntityName<D>> = LiveMembers<
  ColumnsOf<D, E>,
  Exclude<keyof ColumnsOf<D, E>, FixedNames<D, E>>
> &
  Readonly<LiveMembers<ColumnsOf<D, E>, FixedNames<D, E>>>;

/** in: columns, and the names of some (a type parameter: so editors lead to the columns); out: their properties. */
type LiveMembers<C, N extends keyof C> = { -readonly [P in N]: LiveColumn<C[P]> };

/** in: a relation that a query does not reach; out: what its property has once it is awaited. */
type LiveWhole<D extends Definitions<D>, E extends EntityName<D>, R> =
  CardinalityOf<D, E, R> extends "many"
    ? LiveList<Live<D, TargetOf<D, E, R>>>
    : Live<D, TargetOf<D, E, R>> | (MayBeMissing<D, E, R, true> extends true ? null : never);

/** in: a relation that a query does not reach; out: what its property has. */
type LiveRelation<D extends Definitions<D>, E extends EntityName<D>, R> = LiveWhole<D, E, R> | Lazy<LiveWhole<D, E, R>>;

/** in: a relation and a reached row of it; out: what the relation's property has. */
type LiveRelated<D extends Definitions<D>, E extends EntityName<D>, R, Reached> =
  CardinalityOf<D, E, R> extends "many"
    ? LiveList<BroughtLive<D, TargetOf<D, E, R>, Reached extends readonly (infer Row)[] ? Row : never>>
    : BroughtLive<D, TargetOf<D, E, R>, NonNullable<Reached>> | (null extends Reached ? null : never);

/** in: an entity and a plain row; out: its relations: those that are in the row are there, others are lazy. */
type LiveRelations<D extends Definitions<D>, E extends EntityName<D>, Row> = {
  -readonly [P in keyof RelationsOf<D, E>]: P extends keyof Row
    ? LiveRelated<D, E, RelationsOf<D, E>[P], Row[P]>
    : LiveRelation<D, E, RelationsOf<D, E>[P]>;
};

/**
 * One row of a unit of work: the same object whatever query brought it. Its columns are there, and changes of them are
 * written; heavy ones, and relations that no query reached, are there once they are awaited. `Row`: the plain row that
 * a query brings, where it reaches relations.
 */
export type Live<D extends Definitions<D>, E extends EntityName<D>, Row = object> = LiveColumns<D, E> &
  LiveRelations<D, E, Row> &
  OwnMembers<D, E> &
  LiveEntity<E>;

/** in: a plain row that has not all columns; out: the live entity: what is missing is awaited. */
type LivePart<D extends Definitions<D>, E extends EntityName<D>, Row> = {
  -readonly [P in keyof ColumnsOf<D, E>]: P extends keyof Row
    ? LiveValue<ColumnsOf<D, E>[P]>
    : LiveValue<ColumnsOf<D, E>[P]> | Lazy<LiveValue<ColumnsOf<D, E>[P]>>;
} & LiveRelations<D, E, Row> &
  LiveEntity<E> & { [P in Exclude<RefusedNames<Row>, keyof Row>]: never };

/** in: a plain row that has more or less than the entity's columns; out: the live entity that has what is in it. */
type OtherLive<D extends Definitions<D>, E extends EntityName<D>, Row> = [RefusedNames<Row>] extends [never]
  ? Live<D, E, Row>
  : Live<D, E, Row> & { [P in Exclude<RefusedNames<Row>, keyof Row>]: never };

/**
 * in: a plain row of an entity, which a query brings; out: the live entity that has what is in it. Names are compared,
 * columns first, since that is known of most entities at once. What is refused is `never`, so that nothing can be done
 * with it.
 */
export type BroughtLive<D extends Definitions<D>, E extends EntityName<D>, Row> = keyof ColumnsOf<
  D,
  E
> extends keyof Row
  ? keyof Row extends keyof ColumnsOf<D, E>
    ? Live<D, E>
    : OtherLive<D, E, Row>
  : keyof PlainRow<D, E> extends keyof Row
    ? keyof Row extends keyof PlainRow<D, E>
      ? Live<D, E>
      : OtherLive<D, E, Row>
    : LivePart<D, E, Row>;

/** in: the type of an entity of a model, or of a query; out: its live entity in a unit of work. */
export type LiveOf<X> =
  X extends EntityQuery<infer D, infer E, infer Row>
    ? BroughtLive<D, E, Row>
    : X extends Entity<infer D, infer E>
      ? Live<D, E>
      : never;

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
          readonly [P in keyof RelationsOf<D, E> as P extends KeyRelations<D, E> ? P : never]?: AddedRelated<
            D,
            E,
            RelationsOf<D, E>[P]
          >;
        };
