import type { ResolvedRelation } from "../expression/index.js";
import type { PlanSettings } from "./statement-plan.js";

/** Whether each key of a relation to one row leads to a row, by what the model says. */
export const hasRow = ({ cardinality, steps }: ResolvedRelation): boolean =>
  cardinality === "one" &&
  steps.every((step, i) => step.isRequired && (i === 0 || step.pairs.every(({ from }) => !from.isNullable)));

/** Whether that has to be seen to: nobody promises it. */
export const isRequired = (relation: ResolvedRelation, { isTrusting }: PlanSettings): boolean =>
  isTrusting !== true && relation.steps.some((step) => !step.isTrusted) && hasRow(relation);
