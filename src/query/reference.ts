import { type ColumnKind, derived, typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  type Aggregates,
  aggregated,
  aggregateMethods,
  aggregateNames,
  type ColumnExpression,
  type Expression,
  type ExpressionOf,
  expression,
  guard,
  isActive,
  isExpression,
  type MakeAggregate,
  memberAt,
  nodeOf,
  type Order,
  orderNodes,
  type Predicate,
  predicate,
  predicateGiven,
  saidOrder,
  withActive,
} from "../expression/index.js";
import {
  columnAt,
  heldKey,
  type Path,
  pathOn,
  pathTo,
  type ResolvedEntity,
  renewedRows,
  type SetNode,
  setAlong,
  typeOf,
} from "../ir/index.js";
import type {
  CardinalityOf,
  ColumnsOf,
  Definitions,
  Entity,
  EntityName,
  MayBeMissing,
  RelationsOf,
  TargetOf,
} from "../model/index.js";
import { rowCount } from "./row-count.js";
import { type Collection, collection, type Selected, type Selection, type Unselected } from "./selection.js";

/** in: a relation of entity `E`; out: where a path goes through it. */
type Along<D extends Definitions<D>, E extends EntityName<D>, R, Missing extends boolean> =
  CardinalityOf<D, E, R> extends "one"
    ? Reference<D, TargetOf<D, E, R>, Missing extends true ? true : MayBeMissing<D, E, R>>
    : RelatedSet<D, TargetOf<D, E, R>>;

/**
 * A row inside a query's callback: its columns are expressions, its to-one relations go on to the
 * next row, its to-many relations are sets of rows. `Missing`: there may be no row.
 */
export type Reference<D extends Definitions<D>, E extends EntityName<D>, Missing extends boolean = false> = {
  readonly [P in keyof ColumnsOf<D, E>]: ColumnExpression<ColumnsOf<D, E>[P], Missing>;
} & {
  readonly [P in keyof RelationsOf<D, E>]: Along<D, E, RelationsOf<D, E>[P], Missing>;
} & Unselected<"a row is no projection: name its columns, as in { name: row.name }">;

/** in: the type of an entity of a model; out: what a callback gets of its rows, for predicates kept in functions. */
export type ReferenceOf<X> = X extends Entity<infer D, infer E> ? Reference<D, E> : never;

/** The conditions and aggregates of a set of related rows. */
export interface RelatedRows<D extends Definitions<D>, E extends EntityName<D>>
  extends Unselected<"a set is no projection: end it in select(), count() or the like"> {
  /** How many rows there are; with a function: how many have a value there. */
  readonly count: Aggregates<[Reference<D, E>]>["count"];
  /** How many different values there are; missing ones do not count. */
  readonly countDistinct: Aggregates<[Reference<D, E>]>["countDistinct"];
  /** The sum of the values that are there; missing where there are none. */
  readonly sum: Aggregates<[Reference<D, E>]>["sum"];
  /** The average of the values that are there, as a floating-point number; with a scale as an exact decimal. */
  readonly avg: Aggregates<[Reference<D, E>]>["avg"];
  /** The least value that is there. */
  readonly min: Aggregates<[Reference<D, E>]>["min"];
  /** The greatest value that is there. */
  readonly max: Aggregates<[Reference<D, E>]>["max"];
  /** The value in the middle, or the mean of the two there, as a floating-point number. */
  readonly median: Aggregates<[Reference<D, E>]>["median"];
  /** The least value at or below which so many of all are, from 0 to 1. */
  readonly percentile: Aggregates<[Reference<D, E>]>["percentile"];
  /** The standard deviation, of a sample by default. */
  readonly stddev: Aggregates<[Reference<D, E>]>["stddev"];
  /** One text of the texts, in the set's order where none is given. */
  readonly joined: Aggregates<[Reference<D, E>]>["joined"];
  /** The rows of the set for which the predicate is true. */
  where(predicate: (row: Reference<D, E>) => Predicate): this;
  /** Adds to the set only where the value is there: neither undefined nor null. */
  given<V>(value: V, then: (set: this, value: NonNullable<V>) => this): this;
  /** Sorts the rows, after what earlier calls sorted by; ties go by primary key. */
  orderBy(order: (row: Reference<D, E>) => Order | readonly Order[]): this;
  /** At most so many rows of the set. */
  limit(rows: number): RelatedRows<D, E>;
  /** Leaves out so many rows of the set at its beginning. */
  offset(rows: number): RelatedRows<D, E>;
  /** Whether there is at least one. */
  exists(): Predicate;
  /** Whether there is none. */
  notExists(): Predicate;
  /** Whether the predicate is true for each; so it is where there is none. */
  all(predicate: (row: Reference<D, E>) => Predicate): Predicate;
  /** A value of the first row in the set's order; missing where there is none. */
  first<V, K extends ColumnKind>(of: (row: Reference<D, E>) => Expression<V, K>): ExpressionOf<K, V | null>;
  /** All rows of the set as a list inside of a projection, each with what the function names. */
  select<const S extends Selection>(projection: (row: Reference<D, E>) => S): Collection<Selected<S>>;
}

/** A set of related rows: no duplicates, however many ways lead there. Its relations lead on to further sets. */
export type RelatedSet<D extends Definitions<D>, E extends EntityName<D>> = RelatedRows<D, E> & {
  readonly [P in keyof RelationsOf<D, E>]: RelatedSet<D, TargetOf<D, E, RelationsOf<D, E>[P]>>;
};

const pathKey: unique symbol = Symbol("gemach.path");
const setKey: unique symbol = Symbol("gemach.set");

interface HoldsPath {
  readonly [pathKey]: Path;
}

interface HoldsSet {
  readonly [setKey]: SetNode;
}

const getter = <T>(get: (this: T) => unknown): PropertyDescriptor & ThisType<T> => ({ get, enumerable: true });

const rowPrototype = derived((entity: ResolvedEntity) => {
  const prototype = Object.create(guard(entity, [...entity.members.keys(), ...entity.relations.keys()])) as object;
  for (const [name, member] of entity.members) {
    Object.defineProperty(
      prototype,
      name,
      getter<HoldsPath>(function () {
        const path = this[pathKey];
        const held = "fields" in member ? undefined : heldKey(path, member);
        return held === undefined ? memberAt(path, member) : expression({ kind: "column", ...held });
      }),
    );
  }
  for (const [name, relation] of entity.relations) {
    Object.defineProperty(
      prototype,
      name,
      getter<HoldsPath>(function () {
        const path = this[pathKey];
        if (relation.cardinality === "one") return referenceAt(pathOn(path, relation));
        return relatedSet(setAlong(path, relation));
      }),
    );
  }
  return prototype;
});

/**
 * The class of an entity's references: made by a constructor, an object costs a tenth of what `Object.create` takes.
 */
const rowClass = derived((entity: ResolvedEntity) => {
  class Row {
    readonly [pathKey]: Path;

    constructor(path: Path) {
      this[pathKey] = path;
    }
  }
  Object.setPrototypeOf(Row.prototype, rowPrototype(entity));
  return Row;
}) as (entity: ResolvedEntity) => new (path: Path) => object;

/** The row at the end of a path. @internal */
export function referenceAt(path: Path): unknown {
  return new (rowClass(path.entity))(path);
}

// biome-ignore lint/suspicious/noExplicitAny: typed by the interface that callers see
type AnyReference = any;

/** Rows in the order of their relation, where nothing else was said. */
function inOrder(set: SetNode): SetNode {
  if (set.orderBy.length > 0 || set.step.order.length === 0) return set;
  const path = pathTo(set.source);
  return {
    ...set,
    orderBy: set.step.order.map(({ column, descending }) => ({ node: columnAt(path, column), descending })),
  };
}

/** What a callback gives for a row of a set. */
const ofRow = (set: SetNode, callback: (row: AnyReference) => unknown): unknown =>
  withActive([set.source], () => callback(referenceAt(pathTo(set.source))));

const narrowed = (set: SetNode, condition: (row: AnyReference) => unknown, method: string): SetNode => ({
  ...set,
  where: [...set.where, predicateGiven(() => ofRow(set, condition), method)],
});

const none = (set: SetNode): unknown => predicate({ kind: "not", item: { kind: "exists", set } });

/** A set; one over rows of its own where it is used inside of a callback of itself. */
const ownSet = ({ [setKey]: set }: HoldsSet): SetNode => (isActive(set.source) ? renewedRows(set) : set);

/**
 * What is worked out of a set. Others are left to groups: a relation may have their names, and lists are what `select`
 * is for.
 */
const setAggregates = aggregateNames.filter((name) => name !== "values" && name !== "distinct");

const setMethods: Record<string, (this: HoldsSet, ...given: AnyReference[]) => unknown> = {
  where(condition: (row: AnyReference) => unknown) {
    return relatedSet(narrowed(ownSet(this), condition, "where"));
  },
  given(value: unknown, then: (set: unknown, value: unknown) => unknown) {
    return value === undefined || value === null ? this : then(this, value);
  },
  orderBy(order: (row: AnyReference) => unknown) {
    const set = ownSet(this);
    return relatedSet({ ...set, orderBy: [...set.orderBy, ...orderNodes(ofRow(set, order))] });
  },
  limit(rows: number) {
    return relatedSet({ ...ownSet(this), limit: rowCount(rows, "limit") });
  },
  offset(rows: number) {
    return relatedSet({ ...ownSet(this), offset: rowCount(rows, "offset") });
  },
  exists() {
    return predicate({ kind: "exists", set: inOrder(ownSet(this)) });
  },
  notExists() {
    return none(inOrder(ownSet(this)));
  },
  all(condition: (row: AnyReference) => unknown) {
    const set = inOrder(ownSet(this));
    const item = predicateGiven(() => ofRow(set, condition), "all");
    return none({ ...set, where: [...set.where, { kind: "not", item }] });
  },
  first(of: (row: AnyReference) => unknown) {
    const set = inOrder(ownSet(this));
    const given = ofRow(set, of);
    if (!isExpression(given))
      throw new GemachError("SELECTION_UNFIT", {
        entity: set.source.entity.name,
        path: "first()",
        got: typeWord(given),
      });
    const operand = nodeOf(given);
    return expression({ kind: "first", set, operand, type: typeOf(operand).type, isNullable: true });
  },
  select(projection: (row: AnyReference) => unknown) {
    const set = inOrder(ownSet(this));
    return collection(set, ofRow(set, projection));
  },
  ...Object.fromEntries(
    setAggregates.map((name) => [
      name,
      function (this: HoldsSet, ...given: AnyReference[]) {
        const set = inOrder(ownSet(this));
        const make: MakeAggregate = (aggregate, of, said = {}, order) => {
          const orderBy = order === undefined ? set.orderBy : saidOrder(ofRow(set, order));
          const made = aggregated(aggregate, of && ofRow(set, of), {
            ...said,
            orderBy: said.isDistinct ? [] : orderBy,
          });
          return expression({ kind: "aggregate", set, ...made });
        };
        return (aggregateMethods(make)[name] as (...of: AnyReference[]) => unknown)(...given);
      },
    ]),
  ),
};

const setPrototype = derived((entity: ResolvedEntity) => {
  const known = [...Object.keys(setMethods), ...entity.relations.keys()];
  const prototype = Object.assign(Object.create(guard(entity, known)), setMethods) as object;
  for (const [name, relation] of entity.relations) {
    Object.defineProperty(
      prototype,
      name,
      getter<HoldsSet>(function () {
        const set = ownSet(this);
        if (set.limit !== undefined || set.offset !== undefined)
          throw new GemachError("SET_CUT", { entity: entity.name, relation: name });
        return relatedSet(setAlong(set, relation));
      }),
    );
  }
  return prototype;
});

function relatedSet(set: SetNode): unknown {
  return Object.create(setPrototype(set.source.entity), { [setKey]: { value: set } });
}

/** Whether a value is a set of related rows, one that no count or exists has ended. @internal */
export const isRelatedSet = (value: unknown): boolean => typeof value === "object" && value !== null && setKey in value;
