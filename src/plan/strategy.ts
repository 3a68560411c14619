import type { ResolvedRelation, Strategy } from "../expression/index.js";
/** How a relation is fetched, once decided. */
export type Way = "join" | "batch" | "nest";

/** What was said of a relation's strategy, the narrowest first. */
export interface Wishes {
  readonly reached: Strategy | undefined;
  readonly query: Strategy | undefined;
  readonly database: Strategy;
}

/** The way a relation is fetched: the narrowest wish wins, and `auto` joins to-one relations and batches the others. */
export function wayOf(relation: ResolvedRelation, wishes: Wishes): Way {
  const strategy = wishes.reached ?? wishes.query ?? relation.strategy ?? wishes.database;
  if (strategy === "auto") return relation.cardinality === "one" ? "join" : "batch";
  // One row is nested in another by its columns alone.
  return strategy === "nest" && relation.cardinality === "one" ? "join" : strategy;
}
