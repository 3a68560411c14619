import { comparedKind } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  expression,
  type Predicate,
  type Projection,
  type Query,
  type QueryState,
  type SetOperator,
  typeOf,
} from "../expression/index.js";
import type { Derived, Selecting } from "./combined-types.js";
import { derivedEntity, fieldsOf, projectionOfQuery } from "./derived.js";
import { queryOf, stateOf } from "./query.js";
import type { Selected } from "./selection.js";

/** The same query, its values in the order of the first one's; they must be of the same names and kinds. */
function alike(first: Projection, query: QueryState, call: string): QueryState {
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

function compound(operator: SetOperator, queries: readonly unknown[]): never {
  const states = queries.map((query) => stateOf(query, operator));
  const projections = states.map(projectionOfQuery);
  const [first] = projections as [Projection];
  const all = states.map((state, i) => ({ ...alike(first, state, operator), projection: projections[i] }));
  const name = operator.replace(" all", "");
  return queryOf(derivedEntity(name, projections, { kind: "compound", operator, queries: all })) as never;
}

/** The rows of all of the queries, each different one once. Queries must have values of the same names and kinds. */
export const union = <S>(first: Selecting<S>, ...others: readonly Query<Selected<S>>[]): Derived<S> =>
  compound("union", [first, ...others]);

/** The rows of all of the queries, one after the other. */
export const unionAll = <S>(first: Selecting<S>, ...others: readonly Query<Selected<S>>[]): Derived<S> =>
  compound("union all", [first, ...others]);

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
  const state = stateOf(query, "named");
  const projection = projectionOfQuery(state);
  const derivation = { kind: "named", name, query: { ...state, projection } } as const;
  return queryOf(derivedEntity(name, [projection], derivation)) as Derived<S>;
}

/**
 * Rows that lead to further rows of the same kind: those of a query, and those that `step` finds for the
 * rows found before, until it finds none (a recursive common table expression). A row that was found
 * before is not gone on from again.
 */
export function recursive<S>(
  name: string,
  seed: Selecting<S>,
  step: (found: Derived<S>) => Query<Selected<S>>,
): Derived<S> {
  const state = stateOf(seed, "recursive");
  const projection = projectionOfQuery(state);
  const derivation = { kind: "recursive", name, seed: { ...state, projection }, step: state } as const;
  const entity = derivedEntity(name, [projection], derivation);
  const further = stateOf(step(queryOf(entity) as Derived<S>), "recursive");
  const own = projectionOfQuery(further);
  Object.assign(derivation, { step: { ...alike(projection, further, "recursive"), projection: own } });
  return queryOf(entity) as Derived<S>;
}

/** Whether a query has any row; it may refer to the rows around it. */
export const exists = (query: Query): Predicate => expression({ kind: "existsQuery", query: stateOf(query, "exists") });

/** Whether a query has no row. */
export const notExists = (query: Query): Predicate =>
  expression({ kind: "not", item: { kind: "existsQuery", query: stateOf(query, "notExists") } });
