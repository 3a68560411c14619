import type { QueryState } from "../../ir/index.js";
import type { Assigned, DeletePlan, UpdatePlan } from "../../plan/index.js";
import type { Values } from "./holes.js";
import { type Adds, listOf, membersOf, type Visited } from "./key-members.js";

import { addNode, addQuery } from "./key-parts.js";
import { addAssigned } from "./key-values.js";
import type { TrieNode } from "./trie.js";

// Queries of one key share a statement: the key has all that a statement is made of but its values. It is a list of
// words, one for each member of the query and of its nodes, and how many there are where there may be several: so no
// two different queries have the same words.

/** Where a query's key has led, and the values that were left out of it. */
export interface Keyed<Value> {
  readonly node: TrieNode<Value>;
  readonly values: Values;
}

const nothingVisited = (): Visited => ({ values: [], constants: [], sources: [], groupKeys: [] });

function keyed<T, Value>(root: TrieNode<Value>, of: T, adds: Adds<T>): Keyed<Value> | undefined {
  const visited = nothingVisited();
  const node = adds(root as TrieNode<unknown>, of, visited);
  return node && { node: node as TrieNode<Value>, values: visited.values };
}

/** The key of a query for one use; undefined if it holds something that only a compilation of its own can print. */
export const keyOfQuery = <Value>(root: TrieNode<Value>, use: string, state: QueryState): Keyed<Value> | undefined =>
  keyed(root.next(use), state, addQuery);

const addSet = membersOf<Assigned>({
  column: (point, { column }) => point.next(column),
  value: (point, { column, value }, visited) =>
    value.kind === "value" && value.type === column.type
      ? addAssigned(point, value, visited)
      : addNode(point, value, visited),
});
const addSets = listOf(addSet);

const addDelete = membersOf<Omit<DeletePlan, "kind">>({
  query: (point, { query }, visited) => addQuery(point, query, visited),
  returning: (point, { returning }) => (returning === undefined ? point : undefined),
});

/** `isVersioned` decides what an answer means. */
const addUpdate = membersOf<Omit<UpdatePlan, "kind" | "isVersioned">>({
  query: (point, { query }, visited) => addQuery(point, query, visited),
  set: (point, { set, query }, visited) => {
    const { sources } = visited;
    visited.sources = [...sources, query.source];
    const at = addSets(point, set, visited);
    visited.sources = sources;
    return at;
  },
  returning: (point, { returning }) => (returning === undefined ? point : undefined),
});

/** The key of an update or a delete by a query; undefined if there is none. */
export const keyOfChange = <Value>(root: TrieNode<Value>, plan: UpdatePlan | DeletePlan): Keyed<Value> | undefined =>
  plan.kind === "update" ? keyed(root.next(plan.kind), plan, addUpdate) : keyed(root.next(plan.kind), plan, addDelete);
