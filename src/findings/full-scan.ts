import { type Finder, groupsOf, many, placeOf } from "./finding.js";
import { isScan, tablesOf } from "./plan-steps.js";

/** A large table is looked at whole for a few rows, and no index of columns could help. */
export const findFullScans: Finder = ({ statements, thresholds: { tableRows } }) =>
  groupsOf(statements, ({ text }) => text).flatMap((group) => {
    const [statement] = group;
    if (statement === undefined) return [];
    return tablesOf(statement).flatMap(({ use, steps }) => {
      const scan = steps.find((step) => isScan(step) && (step.tableRows ?? 0) >= tableRows);
      // Of what has a column that an index could serve, missing-index tells.
      if (scan === undefined || use.others === 0 || use.equal.length + use.range.length > 0) return [];
      const most = Math.max(...group.map(({ rows, owners }) => owners ?? rows));
      if (most > (scan.tableRows ?? 0) / 4) return [];
      const { at } = statement.origin;
      return [
        {
          kind: "full-scan",
          severity: "note" as const,
          evidence: `All ${many(scan.tableRows ?? 0)} rows of ${use.entity.name} are read${placeOf(at)} for ${many(most)} that are wanted (${scan.text}).`,
          remedy:
            "No index of columns serves these conditions. Narrow the rows by a condition that one serves (a depot, a time), search by startsWith() in place of contains(), or store what is compared in a column of its own (a computed column with an index).",
          at,
          statements: group,
        },
      ];
    });
  });
