import type { PlanStep } from "../sql/index.js";
import { stepsIn } from "../sql/index.js";
import { type Finder, groupsOf, many, placeOf } from "./finding.js";

/** The step of a plan that looks at most rows, in words. */
function widest(plan: PlanStep | undefined): string {
  if (plan === undefined) return "";
  const size = ({ tableRows, expectedRows = 0 }: PlanStep) => tableRows ?? expectedRows;
  const [most] = [...stepsIn(plan)].filter((step) => step.alias !== undefined).toSorted((a, b) => size(b) - size(a));
  return most === undefined ? "" : ` Most of its rows are those of ${most.entity ?? most.alias}: ${most.text}.`;
}

/** A statement that took long. */
export const findSlow: Finder = ({ statements, thresholds: { slow } }) =>
  groupsOf(
    statements.filter(({ milliseconds, waiting, failed }) => !failed && milliseconds - waiting >= slow),
    ({ text }) => text,
  ).map((group) => {
    const longest = group.toSorted((a, b) => b.milliseconds - a.milliseconds)[0] as (typeof group)[number];
    const { at, entity } = longest.origin;
    return {
      kind: "slow",
      severity: "warning",
      evidence: `A statement for ${entity ?? "rows"}${placeOf(at)} took ${many(longest.milliseconds - longest.waiting)} ms for ${longest.rows === 1 ? "1 row" : `${many(longest.rows)} rows`}.${widest(longest.plan)}`,
      remedy:
        "Look at its plan, step by step: db.explain(query, { analyze: true }); or compare it with other ways: gemach compare.",
      at,
      statements: group,
    };
  });
