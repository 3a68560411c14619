import type { Strategy } from "./strategy.js";

/** One related row, or any number of them. */
export type Cardinality = "one" | "many";

/** A relation to the entity of name `T`, as the model says it; `B` is the union of the key's columns. */
export interface Relation<K extends Cardinality = Cardinality, T extends string = string, B extends string = string> {
  readonly cardinality: K;
  readonly target: T;
  readonly by: readonly B[];
  /** The strategy by which it is fetched where nothing narrower says otherwise. */
  readonly strategy: Strategy | undefined;
  /** The same relation, fetched by this strategy where nothing narrower says otherwise. */
  how(strategy: Strategy): Relation<K, T, B>;
}

/** Where the key of a relation stands. */
export interface RelationOptions<B extends string> {
  /**
   * The column, or columns in the order of the primary key they refer to, that hold the key: of
   * this entity for `toOne`, of the target for `toMany`.
   */
  readonly by: B | readonly B[];
}

function relation<K extends Cardinality, T extends string, B extends string>(
  cardinality: K,
  target: T,
  by: readonly B[],
  strategy?: Strategy,
): Relation<K, T, B> {
  return Object.freeze({
    cardinality,
    target,
    by: Object.freeze([...by]),
    strategy,
    how: (chosen: Strategy) => relation(cardinality, target, by, chosen),
  });
}

const listOf = <B extends string>(by: B | readonly B[]): readonly B[] => (typeof by === "string" ? [by] : by);

/**
 * A relation to the one row whose primary key stands in columns of this entity. It may be missing
 * where one of these columns is nullable.
 */
export function toOne<const T extends string, const B extends string>(
  target: T,
  options: RelationOptions<B>,
): Relation<"one", T, B> {
  return relation("one", target, listOf(options.by));
}

/** A relation to all rows of the target in whose columns this entity's primary key stands. */
export function toMany<const T extends string, const B extends string>(
  target: T,
  options: RelationOptions<B>,
): Relation<"many", T, B> {
  return relation("many", target, listOf(options.by));
}
