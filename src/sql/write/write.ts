import type { ParameterValues } from "../../ir/index.js";
import type { WritePlan } from "../../plan/index.js";
import type { Dialect } from "../dialects/dialect.js";
import { encodeParameter } from "../dialects/encode.js";
import { changeStatement } from "./change.js";
import { type EncodedStatement, insertStatements } from "./insert.js";
import { advanceAfter, insertFromStatement } from "./insert-from.js";

/**
 * The statements of a plan that writes, in the order in which they are to be sent; `given`: what a template is run
 * with; `isWithin`: as part of a transaction.
 */
export function writeStatements(
  plan: WritePlan,
  dialect: Dialect,
  given: ParameterValues | undefined,
  isWithin: boolean,
): readonly EncodedStatement[] {
  if (plan.kind === "insert") return insertStatements(plan, dialect, isWithin);
  const { text, parameters } =
    plan.kind === "insertFrom" ? insertFromStatement(plan, dialect) : changeStatement(plan, dialect);
  const own = { text, parameters: parameters.map((parameter) => encodeParameter(dialect, parameter, [], given)) };
  return plan.kind === "insertFrom" ? [own, ...advanceAfter(plan, dialect)] : [own];
}
