import type { Path, ReachedRelation, Step } from "../ir/index.js";
import { totalOrder } from "./order.js";
import { beginsAnIndex, ownerIndex } from "./owner-index.js";

/** Up to how many rows of a query `auto` nests the lists of each in it, as measured: 0 where it does not. */
export interface NestRules {
  /** Whole lists. */
  readonly lists: number;
  /** The first rows of each list, which an index has in their order. */
  readonly firstRows: number;
  /** Lists over a table of links. */
  readonly linked: number;
  /** Lists inside of nested lists. */
  readonly inside: number;
}

/** Whether an index of the model finds the links of an owner, and each leads to one row. */
const isFoundLinked = ([first, second, ...others]: readonly Step[]): boolean =>
  first?.holder === "target" &&
  second?.holder === "source" &&
  others.length === 0 &&
  beginsAnIndex(
    first.target,
    first.pairs.map(({ to }) => to),
  );

/** Up to how many rows a relation's lists are best nested in them. */
export function mostNesting(
  { relation, query }: ReachedRelation,
  path: Path,
  isInside: boolean,
  rules: NestRules,
): number {
  // Below rows that others share, a list would come many times.
  if (relation.cardinality !== "many" || path.steps.length > 0 || query.offset !== undefined) return 0;
  const most = isInside ? rules.inside : Number.POSITIVE_INFINITY;
  if (relation.steps.length > 1) {
    const isWhole = query.limit === undefined && isFoundLinked(relation.steps);
    return isWhole ? Math.min(most, rules.linked) : 0;
  }
  const index = ownerIndex(query.source, relation.steps, totalOrder(query));
  if (query.limit === undefined) return index === "none" ? 0 : Math.min(most, rules.lists);
  return index === "sorted" ? Math.min(most, rules.firstRows) : 0;
}
