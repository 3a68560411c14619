import { GemachError } from "../errors/index.js";
import { type KeyedPlan, type Reference, referencesOf, type WritePlan } from "../plan/index.js";
import { type Context, countRows } from "./context.js";
import type { Steps } from "./steps.js";

/**
 * Looks whether the rows that a write refers to are all seen by its handle; undefined where it refers to none of which it sees its own alone.
 * A foreign key says that a row is there, not whose it is.
 * @throws GemachError `REFERENCE_HIDDEN`
 */
export function hiddenCheck(
  context: Context,
  plans: readonly (WritePlan | KeyedPlan)[],
): (() => Steps<void>) | undefined {
  const references = plans.flatMap((plan) => referencesOf(plan, context.values));
  if (references.length === 0) return undefined;
  return function* () {
    for (const reference of references) yield* check(context, reference);
  };
}

function* check(context: Context, { step, all, visible, most }: Reference): Steps<void> {
  const seen = yield* countRows(context, visible);
  if (seen === most) return;
  if ((yield* countRows(context, all)) === seen) return;
  const { source, target, pairs } = step;
  throw new GemachError("REFERENCE_HIDDEN", {
    entity: source.name,
    columns: pairs.map(({ from }) => from.property),
    target: target.name,
  });
}
