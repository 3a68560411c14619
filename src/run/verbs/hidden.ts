import { type KeyedPlan, restrictedKeys, type WritePlan } from "../../plan/index.js";
import type { Context } from "./context.js";
import { onDemand } from "./late.js";
import type { HiddenCheck } from "./references.js";

/** What makes such checks: few programs have handles that give values. */
export const readHiddenChecks = async () => (await onDemand()).hiddenCheck;

/** Whether a write may refer to rows of which its handle sees its own alone. */
export const mayRefer = ({ values }: Context, plan: WritePlan | KeyedPlan): boolean =>
  values !== undefined &&
  plan.kind !== "delete" &&
  restrictedKeys("entity" in plan ? plan.entity : plan.query.source.entity).length > 0;

/** The check of what writes refer to; undefined where they refer to nothing of the kind. */
export async function hiddenCheckOf(
  context: Context,
  plans: readonly (WritePlan | KeyedPlan)[],
): Promise<HiddenCheck | undefined> {
  return plans.some((plan) => mayRefer(context, plan)) ? (await readHiddenChecks())(context, plans) : undefined;
}
