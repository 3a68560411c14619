import type { Hole, Node, OrderNode, QueryState } from "../ir/index.js";
import { afterPlace, reversed, valuesInCursor } from "./cursor.js";
import { totalOrder } from "./order.js";

/**
 * What a query's cursor makes of its conditions and its order. The last rows before a place are the first from the end.
 */
export function besideCursor(
  { where, cursor }: QueryState,
  order: readonly OrderNode[],
  isLimited: boolean,
  given?: readonly (Hole | undefined)[],
): { readonly where: readonly Node[]; readonly sorted: readonly OrderNode[]; readonly isReversed: boolean } {
  if (cursor === undefined) return { where, sorted: order, isReversed: false };
  const isBefore = cursor.side === "before";
  const sorted = isBefore ? reversed(order) : order;
  const isReversed = isBefore && isLimited;
  const values = given ?? valuesInCursor(cursor.text, order);
  return { where: [...where, afterPlace(values, sorted)], sorted: isReversed ? sorted : order, isReversed };
}

/** A query whose cursor is a condition like any other; what it gives is the same set of rows. */
export function withoutCursor(query: QueryState): QueryState {
  if (query.cursor === undefined) return query;
  const { where, sorted } = besideCursor(query, totalOrder(query), query.limit !== undefined);
  return { ...query, where, orderBy: sorted, cursor: undefined };
}
