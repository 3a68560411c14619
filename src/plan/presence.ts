import type { ResolvedRelation, Step } from "../ir/index.js";
import type { PlanSettings } from "./statement-plan.js";

/** Whether each key of a relation to one row leads to a row, by what the model says. */
export const hasRow = ({ cardinality, steps }: ResolvedRelation): boolean =>
  cardinality === "one" &&
  steps.every((step, i) => step.isRequired && (i === 0 || step.pairs.every(({ from }) => !from.isNullable)));

/**
 * Whether it has to be seen to that a step leads to a row: nobody promises it, or the row may be hidden, of which a
 * constraint knows nothing.
 */
export const mustLook = ({ target, isTrusted }: Step, isTrusting: boolean): boolean =>
  target.standing.length > 0 || target.through.length > 0 || !(isTrusted || isTrusting);

/** Whether that has to be seen to for a relation. */
export const isRequired = (relation: ResolvedRelation, { isTrusting = false }: PlanSettings): boolean =>
  hasRow(relation) && relation.steps.some((step) => mustLook(step, isTrusting));
