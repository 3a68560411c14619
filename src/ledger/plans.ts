import type { LedgerStatement } from "../findings/index.js";
import { type Connection, onDemand } from "../run/index.js";
import type { PlanStep } from "../sql/index.js";

/**
 * The plan of each text, asked for once: for the values with which it took longest. What cannot be explained has none.
 */
export async function plansOf(
  statements: readonly LedgerStatement[],
  { sender, dialect }: Connection,
  isMeasured: boolean,
): Promise<ReadonlyMap<string, PlanStep>> {
  const longest = new Map<string, LedgerStatement>();
  for (const statement of statements) {
    const known = longest.get(statement.text);
    if (statement.failed || (known !== undefined && known.milliseconds >= statement.milliseconds)) continue;
    longest.set(statement.text, statement);
  }
  const plans = new Map<string, PlanStep>();
  const { explainSent } = await onDemand();
  for (const [text, statement] of longest) {
    const plan = await explainSent(sender, dialect, statement, isMeasured);
    if (plan !== undefined) plans.set(text, plan);
  }
  return plans;
}
