import { type Finder, groupsOf, many, placeOf } from "./finding.js";
import type { LedgerStatement } from "./record.js";

/**
 * So many runs of a prepared text PostgreSQL plans for their values; then it may keep one plan for all (15, PREPARE).
 */
const plannedRuns = 5;

/** From so many milliseconds on, and so many times as slow. */
const [leastTime, leastRatio] = [5, 2];

const middle = (statements: readonly LedgerStatement[]): number =>
  statements.map(({ milliseconds, waiting }) => milliseconds - waiting).toSorted((a, b) => a - b)[
    statements.length >> 1
  ] as number;

/** Runs of a text while the server planned each, and since it may keep one plan; what they took. */
interface Runs {
  readonly group: readonly LedgerStatement[];
  readonly planned: number;
  readonly kept: number;
}

/** How many times as slow as at first the other texts became: a server that has more to do is no sign of a plan. */
const slowdownBeside = (all: readonly Runs[], own: Runs): number => {
  const others = all.filter((one) => one !== own).map(({ planned, kept }) => kept / planned);
  return Math.max(1, others.toSorted((a, b) => a - b)[others.length >> 1] ?? 1);
};

/**
 * A statement that has been slower ever since the server keeps one plan for all of its values, where others are not as
 * well.
 */
export const findTurnedPlans: Finder = ({ statements, dialect: { name } }) => {
  if (name !== "postgres") return [];
  const answered = groupsOf(
    statements.filter(({ failed }) => !failed),
    ({ text }) => text,
  );
  const all = answered
    .filter(({ length }) => length >= 2 * plannedRuns)
    .map((group): Runs => {
      const [planned, kept] = [middle(group.slice(0, plannedRuns)), middle(group.slice(plannedRuns))];
      return { group, planned, kept };
    });
  return all.flatMap((runs) => {
    const { group, planned, kept } = runs;
    if (kept < leastTime || kept < leastRatio * slowdownBeside(all, runs) * planned) return [];
    const [{ origin }] = group.slice(plannedRuns) as [LedgerStatement];
    return [
      {
        kind: "turned-plan",
        severity: "warning",
        evidence: `A statement for ${origin.entity ?? "rows"}${placeOf(origin.at)} took ${many(planned)} ms while it was planned for its values, ${many(kept)} ms in the ${many(group.length - plannedRuns)} runs after those ${plannedRuns}.`,
        remedy: "Say .plannedAnew() of the query, so that each run is planned for its values.",
        at: origin.at,
        statements: group,
      },
    ];
  });
};
