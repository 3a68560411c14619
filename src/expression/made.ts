import { GemachError } from "../errors/index.js";
import {
  type Derivation,
  type Node,
  type Projection,
  partsOf,
  type QueryState,
  type SetNode,
  setIn,
} from "../ir/index.js";

/**
 * The predicates made inside of the callback that runs right now; undefined where none does. The language has no other
 * way to see that `a && b` gave up a: callbacks run to their end at once, so that nothing else can come in between.
 */
let made: Node[] | undefined;

/** Notes that a predicate was made. */
export function noteMade(node: Node): void {
  made?.push(node);
}

/**
 * What a callback gives, and the predicates made inside of it, but for those of further callbacks.
 */
export function withMade<R>(callback: () => R): { readonly result: R; readonly own: readonly Node[] } {
  const outer = made;
  const own: Node[] = [];
  made = own;
  try {
    return { result: callback(), own };
  } finally {
    made = outer;
  }
}

/** Adds every expression that one is made of, those of sets and queries inside of it too. */
function addParts(node: Node, found: Set<object>): void {
  if (found.has(node)) return;
  found.add(node);
  for (const part of partsOf(node)) addParts(part, found);
  const set = setIn(node);
  if (set !== undefined) addPartsOfSet(set, found);
  if ("operand" in node && node.operand !== undefined) addParts(node.operand, found);
  if ("query" in node) addPartsOfQuery(node.query, found);
}

function addPartsOfSet({ where, orderBy, from }: SetNode, found: Set<object>): void {
  for (const node of [...where, ...orderBy.map((order) => order.node)]) addParts(node, found);
  if ("step" in from) addPartsOfSet(from, found);
}

function addPartsOfQuery(query: QueryState, found: Set<object>): void {
  if (found.has(query)) return;
  found.add(query);
  const { source, where, having, joins, groupBy = [], orderBy, projection } = query;
  const conditions = joins.flatMap(({ on }) => (on === undefined ? [] : [on]));
  const sorted = orderBy.map((order) => order.node);
  for (const node of [...where, ...having, ...conditions, ...groupBy, ...sorted]) addParts(node, found);
  if (projection !== undefined) addPartsOfProjection(projection, found);
  for (const { entity } of [source, ...joins.map((join) => join.source)])
    for (const inner of queriesOf(entity.derivation)) addPartsOfQuery(inner, found);
}

function addPartsOfProjection(projection: Projection, found: Set<object>): void {
  if (projection.kind === "value") addParts(projection.node, found);
  else if (projection.kind === "object") for (const [, part] of projection.fields) addPartsOfProjection(part, found);
  else addPartsOfSet(projection.set, found);
}

/** The queries that the rows of a source without a table come from. */
function queriesOf(derivation: Derivation | undefined): readonly QueryState[] {
  switch (derivation?.kind) {
    case "query":
    case "named":
      return [derivation.query];
    case "compound":
      return derivation.queries;
    case "recursive":
      return [derivation.seed, derivation.step];
    case "raw":
    case "series":
    case undefined:
      return [];
    default:
      return derivation satisfies never;
  }
}

/**
 * Refuses a predicate that was made and is no part of what a callback gave: `&&` between two of them gives up the
 * first.
 * @throws GemachError `PREDICATE_UNUSED`
 */
export function refuseUnused(node: Node, own: readonly Node[], method: string): void {
  // Most callbacks make the one predicate that they give.
  if (own.length === 0 || (own.length === 1 && own[0] === node)) return;
  const used = new Set<object>();
  addParts(node, used);
  const unused = own.filter((one) => !used.has(one)).length;
  if (unused > 0) throw new GemachError("PREDICATE_UNUSED", { method, unused });
}
