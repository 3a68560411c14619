import type { Scalar } from "../columns/index.js";
import type { Node, OwnCondition, QueryState, ResolvedColumn, ResolvedEntity, Source } from "../ir/index.js";
import type { RowValues } from "./new-rows.js";
import type { RowPlan } from "./statement-plan.js";

/** A column, and what it is given: a value that was checked, or an expression of its kind. */
export interface Assigned {
  readonly column: ResolvedColumn;
  readonly value: Node;
}

/** The columns that a write returns of each row, and how they are assembled. */
export interface Returning {
  readonly source: Source;
  readonly outputs: readonly Node[];
  readonly rows: RowPlan;
}

/** What becomes of rows that are there already. */
export interface ConflictPlan {
  /** The columns by which such a row is found. */
  readonly by: readonly ResolvedColumn[];
  /** The row that is there, and the one that would have been added. */
  readonly old: Source;
  readonly proposed: Source;
  /** What the row that is there is given; nothing: it stays as it is. */
  readonly set: readonly Assigned[];
}

/** New rows that bring the same columns. */
export interface InsertPortion {
  /** One list for the same columns of an entity. */
  readonly columns: readonly ResolvedColumn[];
  /**
   * Rows of one statement each: values in the order of the columns; undefined where a row leaves a column to the
   * database.
   */
  readonly chunks: readonly (readonly RowValues[])[];
  /** Whether some rows leave out columns that others bring. */
  readonly isMixed: boolean;
  readonly conflict: ConflictPlan | undefined;
}

/** New rows, each of them checked, in the portions that one statement takes. */
export interface InsertPlan {
  readonly kind: "insert";
  readonly entity: ResolvedEntity;
  readonly portions: readonly InsertPortion[];
  readonly count: number;
  readonly returning: Returning | undefined;
  /** What stands for all that follows the rows, equal where that is; undefined where it cannot be told. */
  readonly end: string | undefined;
}

/** The rows of a query as new rows of an entity. */
export interface InsertFromPlan {
  readonly kind: "insertFrom";
  readonly entity: ResolvedEntity;
  readonly query: QueryState;
  readonly set: readonly Assigned[];
}

/** Rows that are changed. */
export interface UpdatePlan {
  readonly kind: "update";
  /** Whether it is of one row, at the version that it was read at: one that is not found was changed meanwhile. */
  readonly isVersioned?: boolean;
  readonly query: QueryState;
  readonly set: readonly Assigned[];
  readonly returning: Returning | undefined;
}

/** Rows that are deleted. */
export interface DeletePlan {
  readonly kind: "delete";
  readonly query: QueryState;
  readonly returning: Returning | undefined;
}

/** A row that is found by its key, and what it is given. */
export interface KeyedRow {
  readonly values: readonly Scalar[];
  readonly found: readonly Scalar[];
}

/** Rows that are found by columns of theirs, and are given values of the same columns, or deleted. */
export interface KeyedPlan {
  readonly kind: "keyed";
  readonly verb: "update" | "delete";
  readonly entity: ResolvedEntity;
  readonly columns: readonly ResolvedColumn[];
  readonly by: readonly ResolvedColumn[];
  readonly rows: readonly KeyedRow[];
  /** A whole number that goes up by one in each row: the version of rows that nobody has read. */
  readonly raised?: ResolvedColumn | undefined;
  /** Whether each row brings the version that it was read at: one that is not found was changed meanwhile. */
  readonly isVersioned?: boolean;
  /** Conditions besides, of columns and constant values that the model has: only visible rows are found. */
  readonly visible: readonly OwnCondition[];
  /** Whether one statement may take many of them. */
  readonly isListable: boolean;
}

/** The plan of a verb that writes, before any dialect. */
export type WritePlan = InsertPlan | InsertFromPlan | UpdatePlan | DeletePlan;
