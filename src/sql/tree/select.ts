import type { RowLock } from "../../ir/index.js";
import type { CommonTable, Join, Select, SelectItem, SortTerm, SqlExpression, TableTerm } from "./tree.js";

/** A select under construction. */
export interface SelectBuilder {
  readonly items: SelectItem[];
  from: TableTerm;
  readonly joins: Join[];
  readonly where: SqlExpression[];
  readonly groupBy: SqlExpression[];
  readonly having: SqlExpression[];
  readonly orderBy: SortTerm[];
  limit: Select["limit"];
  offset: Select["offset"];
  isDistinct: boolean;
  lock: RowLock | undefined;
  common?: readonly CommonTable[];
}

/** A select from a table or derived table that has nothing else yet. */
export const selectOver = (from: TableTerm): SelectBuilder => ({
  items: [],
  from,
  joins: [],
  where: [],
  groupBy: [],
  having: [],
  orderBy: [],
  limit: undefined,
  offset: undefined,
  isDistinct: false,
  lock: undefined,
});
