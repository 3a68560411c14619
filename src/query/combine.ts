import type { ColumnKind } from "../columns/index.js";
import type { Expression, ExpressionOf } from "../expression/index.js";
import { filled, type SetOperator } from "../ir/index.js";
import type { Derived, Selecting } from "./combined-types.js";
import { compoundOf } from "./compound.js";
import { derivedEntity, projectionOfQuery } from "./derived.js";
import { queryOf, stateOf } from "./query.js";

/** in: what a projection gives; out: what another may give of the same kinds, each value perhaps missing. */
type Alike<S> =
  S extends Expression<infer V, infer K> ? Expression<V | null, K> : { readonly [P in keyof S]: Alike<S[P]> };

/**
 * in: what a query's projection gives, and other queries; out: the same, with null where one of the others may have it.
 */
type Joined<S, O extends readonly unknown[]> = [null] extends [MissingOf<O[number]>]
  ? Widened<S, O[number] extends Selecting<infer T> ? T : never>
  : S;

/** in: queries; out: null where a value of one of them may be missing. */
type MissingOf<Q> = Q extends Selecting<infer T> ? MissingIn<T> : never;

/** in: what a projection gives; out: null where one of its values may be missing. */
type MissingIn<T> = T extends Expression<infer V> ? V & null : { [P in keyof T]: MissingIn<T[P]> }[keyof T];

/** in: what a projection gives, and what others give; out: the same, with null where they may have it. */
type Widened<S, T> =
  S extends Expression<infer V, infer K extends ColumnKind>
    ? ExpressionOf<K, V | (T extends Expression<infer X> ? X & null : never)>
    : { readonly [P in keyof S]: Widened<S[P], T extends { readonly [Q in P]: infer X } ? X : never> };

const compound = (operator: SetOperator, queries: readonly unknown[]): never =>
  queryOf(
    compoundOf(
      operator,
      queries.map((query) => stateOf(query, operator)),
    ),
  ) as never;

/**
 * The rows of all of the queries, each different one once. Queries must have values of the same names and kinds; a
 * value that may be missing in one of them may be so in the union.
 */
export const union = <S, const O extends readonly Selecting<Alike<S>>[]>(
  first: Selecting<S>,
  ...others: O
): Derived<Joined<S, O>> => compound("union", [first, ...others]);

/** The rows of all of the queries, one after the other. */
export const unionAll = <S, const O extends readonly Selecting<Alike<S>>[]>(
  first: Selecting<S>,
  ...others: O
): Derived<Joined<S, O>> => compound("union all", [first, ...others]);

/** The different rows that are in each of the queries. */
export const intersect = <S>(first: Selecting<S>, ...others: readonly Selecting<Alike<NoInfer<S>>>[]): Derived<S> =>
  compound("intersect", [first, ...others]);

/** The different rows of the first query that are in none of the others. */
export const except = <S>(first: Selecting<S>, ...others: readonly Selecting<Alike<NoInfer<S>>>[]): Derived<S> =>
  compound("except", [first, ...others]);

/**
 * A query under a name: a statement that uses it several times says it once (a common table
 * expression).
 */
export function named<S>(name: string, query: Selecting<S>): Derived<S> {
  const state = filled(stateOf(query, "named"));
  const projection = projectionOfQuery(state);
  const derivation = { kind: "named", name, query: { ...state, projection } } as const;
  return queryOf(derivedEntity(name, [projection], derivation)) as Derived<S>;
}
