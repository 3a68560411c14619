/** One related row, or any number of them. */
export type Cardinality = "one" | "many";

/** Which of the two entities of a relation holds the other's key. */
export type Holder = "source" | "target";

/** How two values are compared. */
export type Comparison = "equal" | "unequal" | "below" | "above" | "atMost" | "atLeast";

/** How the values of several rows become one, also of those of a window. */
export type WindowAggregate = "count" | "sum" | "avg" | "min" | "max";

/**
 * How the values of several rows become one. `joined`: one text; `values`: a list; `percentile`: the least value at or below which
 * a fraction of them is; `median`: the mean of the one or two in the middle; `stddev`: the standard deviation.
 */
export type AggregateName = WindowAggregate | "joined" | "values" | "median" | "percentile" | "stddev";

/** Functions of a row among others. */
export type WindowName =
  | "rowNumber"
  | "rank"
  | "denseRank"
  | "percentRank"
  | "ntile"
  | "lag"
  | "lead"
  | "firstValue"
  | "lastValue";

/** How the rows of several queries become those of one. */
export type SetOperator = "union" | "union all" | "intersect" | "except";

/** A lock on rows, and what becomes of those that another transaction has locked. */
export interface RowLock {
  readonly strength: "update" | "share";
  readonly taken: "skip locked" | "no wait" | undefined;
}
