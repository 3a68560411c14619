import { type ColumnKind, comparedKind } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  atOneScale,
  type Expression,
  type ExpressionOf,
  filled,
  type Node,
  type Projection,
  type Query,
  type QueryState,
  replaced,
  type SetOperator,
  typeOf,
} from "../expression/index.js";
import type { Derived, Selecting } from "./combined-types.js";
import { derivedEntity, fieldsOf, projectionOfQuery } from "./derived.js";
import { queryOf, stateOf } from "./query.js";
import type { Selected } from "./selection.js";

/** The same query, its values in the order of the first one's; they must be of the same names and kinds. @internal */
export function alike(first: Projection, query: QueryState, call: string): QueryState {
  const [wanted, given] = [fieldsOf(first), fieldsOf(projectionOfQuery(query))];
  const names = [...wanted.keys()];
  for (const name of names) {
    const [a, b] = [wanted.get(name), given.get(name)];
    if (a !== undefined && b !== undefined && comparedKind(typeOf(a).type.kind) === comparedKind(typeOf(b).type.kind))
      continue;
    const got = b === undefined ? "nothing" : typeOf(b).type.kind;
    throw new GemachError("QUERIES_UNLIKE", { call, name, expected: a === undefined ? "" : typeOf(a).type.kind, got });
  }
  if (given.size !== wanted.size)
    throw new GemachError("QUERIES_UNLIKE", {
      call,
      name: [...given.keys()].find((name) => !wanted.has(name)) ?? "",
      expected: "nothing",
      got: "a value",
    });
  return query;
}

/** in: what a projection gives; out: what another may give of the same kinds, each value perhaps missing. */
type Alike<S> =
  S extends Expression<infer V, infer K> ? Expression<V | null, K> : { readonly [P in keyof S]: Alike<S[P]> };

/** in: what a query's projection gives, and other queries; out: the same, with null where one of the others may have it. */
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

/** The same, decimals that stand in the same place with as many digits after the point: engines tell them apart by their text. */
function ofOneScale(projections: readonly Projection[]): readonly Projection[] {
  const fields = projections.map((projection) => fieldsOf(projection));
  const changes = projections.map(() => new Map<Node, Node>());
  for (const name of fields[0]?.keys() ?? []) {
    const nodes = fields.map((of) => of.get(name) as Node);
    atOneScale(nodes).forEach((node, i) => void changes[i]?.set(nodes[i] as Node, node));
  }
  return projections.map((projection, i) => replaced(projection, changes[i] as ReadonlyMap<Node, Node>));
}

function compound(operator: SetOperator, queries: readonly unknown[]): never {
  const given = queries.map((query) => filled(stateOf(query, operator)));
  const [first, ...others] = given as [QueryState, ...QueryState[]];
  const wanted = projectionOfQuery(first);
  const states = [first, ...others.map((state) => alike(wanted, state, operator))];
  const projections = ofOneScale(states.map(projectionOfQuery));
  const all = states.map((state, i) => ({ ...state, projection: projections[i] }));
  const name = operator.replace(" all", "");
  return queryOf(derivedEntity(name, projections, { kind: "compound", operator, queries: all })) as never;
}

/**
 * The rows of all of the queries, each different one once. Queries must have values of the same names and kinds; a value
 * that may be missing in one of them may be so in the union.
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
export const intersect = <S>(first: Selecting<S>, ...others: readonly Query<Selected<S>>[]): Derived<S> =>
  compound("intersect", [first, ...others]);

/** The different rows of the first query that are in none of the others. */
export const except = <S>(first: Selecting<S>, ...others: readonly Query<Selected<S>>[]): Derived<S> =>
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
