import {
  type ColumnExpression,
  expression,
  guard,
  memberAt,
  type NumberExpression,
  type Path,
  type Predicate,
  pathOn,
  pathTo,
  predicateNode,
  type ResolvedEntity,
  type SetNode,
  setAlong,
} from "../expression/index.js";
import type {
  CardinalityOf,
  ColumnsOf,
  Definitions,
  EntityName,
  MayBeMissing,
  RelationsOf,
  TargetOf,
} from "../model/index.js";

/** in: a relation of entity `E`; out: where a path goes through it. */
type Along<D extends Definitions, E extends EntityName<D>, R, Missing extends boolean> =
  CardinalityOf<D, E, R> extends "one"
    ? Reference<D, TargetOf<D, E, R>, Missing extends true ? true : MayBeMissing<D, E, R>>
    : RelatedSet<D, TargetOf<D, E, R>>;

/**
 * A row inside a query's callback: its columns are expressions, its to-one relations go on to the
 * next row, its to-many relations are sets of rows. `Missing`: there may be no row.
 */
export type Reference<D extends Definitions, E extends EntityName<D>, Missing extends boolean = false> = {
  readonly [P in keyof ColumnsOf<D, E> | keyof RelationsOf<D, E>]: P extends keyof ColumnsOf<D, E>
    ? ColumnExpression<ColumnsOf<D, E>[P], Missing>
    : P extends keyof RelationsOf<D, E>
      ? Along<D, E, RelationsOf<D, E>[P], Missing>
      : never;
};

/** What can be asked of a set of related rows. */
export interface RelatedRows<D extends Definitions, E extends EntityName<D>> {
  /** The rows of the set for which the predicate is true. */
  where(predicate: (row: Reference<D, E>) => Predicate): RelatedSet<D, E>;
  /** Adds to the set only where the value is there: neither undefined nor null. */
  given<V>(value: V, then: (set: RelatedSet<D, E>, value: NonNullable<V>) => RelatedSet<D, E>): RelatedSet<D, E>;
  /** How many there are. */
  count(): NumberExpression<number, "integer">;
  /** Whether there is at least one. */
  exists(): Predicate;
  /** Whether there is none. */
  notExists(): Predicate;
}

/** A set of related rows: no duplicates, however many ways lead there. Its relations lead on to further sets. */
export type RelatedSet<D extends Definitions, E extends EntityName<D>> = RelatedRows<D, E> & {
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

/** Remembers what `make` made of an entity: an entity never changes. */
function perEntity(make: (entity: ResolvedEntity) => object): (entity: ResolvedEntity) => object {
  const made = new WeakMap<ResolvedEntity, object>();
  return (entity) => {
    const known = made.get(entity) ?? make(entity);
    made.set(entity, known);
    return known;
  };
}

const rowPrototype = perEntity((entity) => {
  const prototype = Object.create(guard(entity, [...entity.members.keys(), ...entity.relations.keys()])) as object;
  for (const [name, member] of entity.members) {
    Object.defineProperty(
      prototype,
      name,
      getter<HoldsPath>(function () {
        return memberAt(this[pathKey], member);
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

/** The row at the end of a path. @internal */
export function referenceAt(path: Path): unknown {
  return Object.create(rowPrototype(path.entity), { [pathKey]: { value: path } });
}

// biome-ignore lint/suspicious/noExplicitAny: typed by the interface that callers see
type AnyReference = any;

const setMethods: Record<string, (this: HoldsSet, ...given: AnyReference[]) => unknown> = {
  where(predicate: (row: AnyReference) => unknown) {
    const set = this[setKey];
    const node = predicateNode(predicate(referenceAt(pathTo(set.source))), "where");
    return relatedSet({ ...set, where: [...set.where, node] });
  },
  given(value: unknown, then: (set: unknown, value: unknown) => unknown) {
    return value === undefined || value === null ? this : then(this, value);
  },
  count() {
    const type = { kind: "integer" } as const;
    return expression({
      kind: "aggregate",
      aggregate: "count",
      set: this[setKey],
      operand: undefined,
      type,
      isNullable: false,
    });
  },
  exists() {
    return expression({ kind: "exists", set: this[setKey] });
  },
  notExists() {
    return expression({ kind: "not", item: { kind: "exists", set: this[setKey] } });
  },
};

const setPrototype = perEntity((entity) => {
  const known = [...Object.keys(setMethods), ...entity.relations.keys()];
  const prototype = Object.assign(Object.create(guard(entity, known)), setMethods) as object;
  for (const [name, relation] of entity.relations) {
    Object.defineProperty(
      prototype,
      name,
      getter<HoldsSet>(function () {
        return relatedSet(setAlong(this[setKey], relation));
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
