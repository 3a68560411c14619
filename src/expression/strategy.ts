/**
 * How a reached relation is fetched. `join`: in the same statement, by a join. `batch`: by one more
 * statement for the whole set of keys. `auto`: to-one relations by join, to-many ones by batch.
 */
export type Strategy = "auto" | "join" | "batch" | "nest";

/** Every strategy, for checking what comes from outside the types. */
export const strategies: readonly Strategy[] = ["auto", "join", "batch", "nest"];
