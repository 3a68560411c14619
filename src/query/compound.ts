import { comparedKind } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { atOneScale, replaced } from "../expression/index.js";
import {
  type BySets,
  filled,
  type Node,
  type Projection,
  type QueryState,
  type ResolvedEntity,
  type SetOperator,
  typeOf,
} from "../ir/index.js";
import { derivedEntity, fieldsOf, projectionOfQuery } from "./derived.js";

/** Puts a query's values in the order of the first one's; they must be of the same names and kinds. */
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

/**
 * Gives decimals that stand in the same place as many digits after the point: engines tell them apart by their
 * text.
 */
function ofOneScale(projections: readonly Projection[]): readonly Projection[] {
  const fields = projections.map((projection) => fieldsOf(projection));
  const changes = projections.map(() => new Map<Node, Node>());
  for (const name of fields[0]?.keys() ?? []) {
    const nodes = fields.map((of) => of.get(name) as Node);
    atOneScale(nodes).forEach((node, i) => void changes[i]?.set(nodes[i] as Node, node));
  }
  return projections.map((projection, i) => replaced(projection, changes[i] as ReadonlyMap<Node, Node>));
}

/**
 * The rows of several queries as those of one.
 * @throws GemachError `QUERIES_UNLIKE`
 */
export function compoundOf(operator: SetOperator, queries: readonly QueryState[], bySets?: BySets): ResolvedEntity {
  const given = queries.map(filled);
  const [first, ...others] = given as [QueryState, ...QueryState[]];
  const wanted = projectionOfQuery(first);
  const states = [first, ...others.map((state) => alike(wanted, state, operator))];
  const projections = ofOneScale(states.map(projectionOfQuery));
  const all = states.map((state, i) => ({ ...state, projection: projections[i] }));
  const name = operator.replace(" all", "");
  const together = bySets && { ...bySets, query: filled(bySets.query) };
  return derivedEntity(name, projections, { kind: "compound", operator, queries: all, bySets: together });
}
