import type { ResolvedRelation } from "../expression/index.js";

/** Whether each key of a relation to one row leads to a row, by what the model says. */
export const hasRow = ({ cardinality, steps }: ResolvedRelation): boolean =>
  cardinality === "one" &&
  steps.every((step, i) =>
    step.isInsisted ? i === 0 || step.pairs.every(({ from }) => !from.isNullable) : !step.mayBeMissing,
  );

/** Whether that has to be seen to: the database does not promise it. */
export const isInsisted = (relation: ResolvedRelation): boolean =>
  relation.steps.some((step) => step.isInsisted) && hasRow(relation);
