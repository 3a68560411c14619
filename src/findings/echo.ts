import { valuesText } from "../run/index.js";
import { operationOf } from "../sql/index.js";
import { type Finder, groupsOf, isRead, placeOf } from "./finding.js";
import type { LedgerStatement } from "./record.js";

/** Statements in runs between which nothing was written. */
function runsOf(statements: readonly LedgerStatement[]): readonly (readonly LedgerStatement[])[] {
  const runs: LedgerStatement[][] = [[]];
  for (const statement of statements)
    if (operationOf(statement.text, statement.origin) === "select") runs.at(-1)?.push(statement);
    else runs.push([]);
  return runs;
}

/** The same statement with the same values, again, although nothing was written in between. */
export const findEchoes: Finder = ({ statements }) =>
  runsOf(statements)
    .flatMap((run) => groupsOf(run.filter(isRead), (statement) => `${statement.text} ${valuesText(statement)}`))
    .filter((group) => group.length > 1)
    .map((group) => {
      const first = group[0] as LedgerStatement;
      const { at, entity } = first.origin;
      const places = [...new Set(group.map(({ origin }) => placeOf(origin.at)))].filter((place) => place !== "");
      return {
        kind: "echo",
        severity: "warning",
        evidence: `The same statement for ${entity ?? "rows"} with the same values ${group.length} times${places.join(",")}, and nothing written in between.`,
        remedy:
          "Keep what the first one gave and hand it on; or read in a unit of work, where w.byKey of an entity that is there costs nothing.",
        at,
        statements: group,
      };
    });
