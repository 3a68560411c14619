import { type Finder, groupsOf, many, placeOf } from "./finding.js";
import type { LedgerStatement } from "./record.js";

/** So many runs of a prepared text PostgreSQL plans for their values; then it may keep one plan for all (15, PREPARE). */
const plannedRuns = 5;

/** From so many milliseconds on, and so many times as slow. */
const [leastTime, leastRatio] = [5, 2];

const middle = (statements: readonly LedgerStatement[]): number =>
  statements.map(({ milliseconds, waiting }) => milliseconds - waiting).toSorted((a, b) => a - b)[
    statements.length >> 1
  ] as number;

/** A statement that has been slower ever since the server keeps one plan for all of its values. */
export const findTurnedPlans: Finder = ({ statements, dialect: { name } }) => {
  if (name !== "postgres") return [];
  return groupsOf(
    statements.filter(({ failed }) => !failed),
    ({ text }) => text,
  ).flatMap((group) => {
    const [before, after] = [group.slice(0, plannedRuns), group.slice(plannedRuns)];
    if (after.length < plannedRuns) return [];
    const [planned, kept] = [middle(before), middle(after)];
    if (kept < leastTime || kept < leastRatio * planned) return [];
    const [{ origin }] = after as [LedgerStatement];
    return [
      {
        kind: "turned-plan",
        severity: "warning",
        evidence: `A statement for ${origin.entity ?? "rows"}${placeOf(origin.at)} took ${many(planned)} ms while it was planned for its values, ${many(kept)} ms in the ${many(after.length)} runs after those ${plannedRuns}.`,
        remedy: "Say .plannedAnew() of the query, so that each run is planned for its values.",
        at: origin.at,
        statements: group,
      },
    ];
  });
};
