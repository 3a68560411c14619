export { cursorOf } from "./cursor.js";
export { typeOfOutput } from "./draft.js";
export { type SortedRows, totalOrder } from "./order.js";
export type { OwnerIndex } from "./owner-index.js";
export { few, planCount, planExists, planList, planReach, planSingle, planSlice } from "./plan.js";
export { mostNested } from "./rows.js";
export {
  type Cut,
  type FedStatement,
  isCut,
  type JoinedRows,
  type JoinedSource,
  type Mount,
  type NestedOutput,
  type NestedRows,
  type Output,
  type PlanSettings,
  type ReachNote,
  type RowPlan,
  type Shape,
  type StatementPlan,
} from "./statement-plan.js";
