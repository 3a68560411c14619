import type { ResolvedRelation, Strategy } from "../ir/index.js";
/** How a relation is fetched, once decided. */
export type ChosenStrategy = Exclude<Strategy, "auto">;

/** What was said of a relation's strategy, the narrowest first. */
export interface Preferences {
  readonly reached: Strategy | undefined;
  readonly query: Strategy | undefined;
  readonly database: Strategy;
  /** Whether the relation starts at rows that belong to many others, so that several of them lead to one row. */
  readonly isBelowMany: boolean;
  /** Whether its rows are a list of each of few rows, which an index finds. */
  readonly isBelowFew: boolean;
}

/** The way a relation is fetched, and the reason in words. */
export interface Choice {
  readonly strategy: ChosenStrategy;
  readonly why: string;
}

/** The narrowest preference, and whose it is. */
function preferenceOf(
  relation: ResolvedRelation,
  { reached, query, database }: Preferences,
): readonly [Strategy, string] {
  if (reached !== undefined) return [reached, "said of the relation in this query"];
  if (query !== undefined) return [query, "said of the query"];
  if (relation.strategy !== undefined) return [relation.strategy, "said of the relation in the model"];
  return [database, "said of the database"];
}

/**
 * The way a relation is fetched: the narrowest preference wins; `auto` joins to-one relations but below many rows,
 * nests the lists of few rows, and batches the others.
 */
export function choiceOf(relation: ResolvedRelation, preferences: Preferences): Choice {
  const [strategy, why] = preferenceOf(relation, preferences);
  const isOne = relation.cardinality === "one";
  if (strategy === "auto" && isOne && preferences.isBelowMany)
    return { strategy: "batch", why: "auto: below many rows, each row that they lead to comes once" };
  if (strategy === "auto" && !isOne && preferences.isBelowFew)
    return { strategy: "nest", why: "auto: the lists of few rows come in the same statement, inside of them" };
  if (strategy === "auto")
    return isOne
      ? { strategy: "join", why: "auto: a to-one relation adds columns, and no rows" }
      : { strategy: "batch", why: "auto: a to-many relation by its keys multiplies no rows" };
  // One row is nested in another by its columns alone.
  if (strategy === "nest" && isOne)
    return { strategy: "join", why: `${why} to nest: one row is nested by its columns` };
  return { strategy: strategy, why };
}
