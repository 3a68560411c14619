/** One related row, or any number of them. */
export type Cardinality = "one" | "many";

/** Which of the two entities of a relation holds the other's key. */
export type Holder = "source" | "target";

/** How the rows of several queries become those of one. */
export type SetOperator = "union" | "union all" | "intersect" | "except";

/** A lock on rows, and what becomes of those that another transaction has locked. */
export interface RowLock {
  readonly strength: "update" | "share";
  readonly taken: "skip locked" | "no wait" | undefined;
}
