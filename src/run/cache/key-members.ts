import type { Node, Source } from "../../ir/index.js";
import type { ListNode, ValueNode } from "./holes.js";
import type { TrieNode } from "./trie.js";

/** Where the words of a key have led so far. */
export type Point = TrieNode<unknown>;

/** Where they lead next; undefined: this query has no key, and is compiled by itself. */
export type Next = Point | undefined;

/**
 * What the words before have named. What is inside of a query or set replaces `sources` and `groupKeys`, and puts them
 * back after it.
 */
export interface Visited {
  /** The values that may differ between queries of one key, in the order in which they are met. */
  readonly values: (ValueNode | ListNode)[];
  /** Values that are part of the key. */
  readonly constants: ValueNode[];
  /** The rows that a column may be of: a column names one by its index. */
  sources: readonly Source[];
  /** The expressions that rows are grouped by: where one is used again, it is named by its index. */
  groupKeys: readonly Node[];
}

/** Adds the words of something to a key. */
export type Adds<T> = (point: Point, of: T, visited: Visited) => Next;

/**
 * What each member of a type adds: a member without an entry does not compile. One that is no part of the key is left
 * out of the type, with its reason.
 */
export type Members<T> = { readonly [M in keyof T]-?: Adds<T> };

/** Adds the words of all members, in the order of the entries. */
export function membersOf<T>(members: Members<T>): Adds<T> {
  const all: readonly Adds<T>[] = Object.values(members);
  return (point, of, visited) => {
    let at: Next = point;
    for (const adds of all) {
      at = adds(at, of, visited);
      if (at === undefined) return undefined;
    }
    return at;
  };
}

/** Adds how many there are, and the words of each. */
export function listOf<T>(adds: Adds<T>): Adds<readonly T[]> {
  return (point, list, visited) => {
    let at: Next = point.next(list.length);
    for (const one of list) {
      at = adds(at, one, visited);
      if (at === undefined) return undefined;
    }
    return at;
  };
}

/** Adds the words of something, the first of which is never undefined, or that it is missing. */
export function optional<T>(adds: Adds<T>): Adds<T | undefined> {
  return (point, of, visited) => (of === undefined ? point.next(undefined) : adds(point, of, visited));
}
