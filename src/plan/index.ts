export { planCount, planExists, planList, planSingle } from "./plan.js";
export type {
  Cut,
  FedStatement,
  JoinedRows,
  JoinedSource,
  Mount,
  Output,
  PlanSettings,
  RowPlan,
  Shape,
  StatementPlan,
} from "./statement-plan.js";
