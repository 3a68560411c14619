import { GemachError } from "../errors/index.js";
import { expression, isExpression, nodeOf } from "../expression/index.js";
import {
  columnAt,
  hasWindow,
  type Node,
  pathTo,
  type QueryState,
  type ResolvedEntity,
  type ResolvedRelation,
} from "../ir/index.js";

/** The names of the standing conditions of an entity, and of those that it leads to. */
export function standingNames(entity: ResolvedEntity, seen = new Set<ResolvedEntity>()): ReadonlySet<string> {
  if (seen.has(entity)) return new Set();
  seen.add(entity);
  const others = [...entity.relations.values()].flatMap(({ steps }) => steps.map(({ target }) => target));
  return new Set([
    ...[...entity.standing, ...entity.through].map(({ name }) => name),
    ...others.flatMap((target) => [...standingNames(target, seen)]),
  ]);
}

/** Sorted as the relation says, where the query does not say how. */
export function inOwnOrder(query: QueryState, { steps }: ResolvedRelation): QueryState {
  const order = steps.at(-1)?.order ?? [];
  if (query.orderBy.length > 0 || order.length === 0) return query;
  const orderBy = order.map(({ column, descending }) => ({ node: columnAt(pathTo(query.source), column), descending }));
  return { ...query, orderBy };
}

/** What rows are grouped by, of the sources of a query that is used again. */
export function renewedKeys(keys: unknown, also: (node: Node) => Node): unknown {
  if (isExpression(keys)) return expression(also(nodeOf(keys)));
  if (typeof keys !== "object" || keys === null) return keys;
  return Object.fromEntries(Object.entries(keys).map(([name, part]) => [name, renewedKeys(part, also)]));
}

/** Refuses a window where rows are chosen: it sees the rows that were. */
export function refuseWindow(node: Node, call: string): Node {
  if (hasWindow(node)) throw new GemachError("WINDOW_UNFIT", { call });
  return node;
}
