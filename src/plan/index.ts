export { withoutCursor } from "./beside-cursor.js";
export { planDelete, planRestore, planUpdate } from "./changes.js";
export { cursorOf, valuesInCursor } from "./cursor.js";
export { type ConflictSet, planInsert, planInsertFrom } from "./inserts.js";
export { keyedPlan, valuesIn } from "./keyed-writes.js";
export { hasSubquery, leavesRow } from "./leaves.js";
export { maintainedColumns, raisedVersion, versionAfter, writtenValue } from "./maintained.js";
export type { NestRules } from "./nesting.js";
export type { GivenRow, RowValues } from "./new-rows.js";
export { type OpenEntity, openAmong, openEntities } from "./open-entities.js";
export { type SortedRows, totalOrder } from "./order.js";
export type { OwnerIndex } from "./owner-index.js";
export {
  type CursorValues,
  cursorValues,
  deferredLimits,
  few,
  planCount,
  planExists,
  planList,
  planPage,
  planPortion,
  planReach,
  planSingle,
} from "./plan.js";
export type { PortionRules } from "./portions.js";
export { conditionNames, restrictedBy, restrictedKeys } from "./restricted.js";
export type { ReturningOption } from "./returning.js";
export { rowList } from "./row-list.js";
export { mostNested } from "./rows.js";
export { givenColumns, refuseOtherSet, refuseOthers, rowsOfOthers, withGiven } from "./standing.js";
export { typeOfOutput } from "./statement-builder.js";
export type {
  EntityRow,
  FollowUp,
  JoinedRows,
  JoinedSource,
  LateLimits,
  Limits,
  Mount,
  NestedOutput,
  NestedRows,
  Output,
  PlanSettings,
  ReachNote,
  RowPlan,
  Shape,
  StatementPlan,
} from "./statement-plan.js";
export type {
  Assigned,
  ConflictPlan,
  DeletePlan,
  InsertFromPlan,
  InsertPlan,
  InsertPortion,
  KeyedPlan,
  KeyedRow,
  Returning,
  UpdatePlan,
  WritePlan,
} from "./write-plan.js";
