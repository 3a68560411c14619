/**
 * How a reached relation is fetched. `join`: in the same statement, by a join. `batch`: by one more
 * statement for the whole set of keys. `auto`: to-one relations by join, to-many ones by batch.
 */
export type Strategy = (typeof strategies)[number];

/** Every strategy, for checking what comes from outside the types. */
export const strategies = ["auto", "join", "batch", "nest"] as const;
