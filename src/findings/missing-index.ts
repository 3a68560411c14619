import { type Finder, groupsOf, many, placeOf } from "./finding.js";
import { indexFor, indexText, isScan, isServed, tablesOf } from "./plan-steps.js";

/** A table is looked at whole, although an index over the columns of its conditions would find the rows. */
export const findMissingIndexes: Finder = (record) =>
  groupsOf(record.statements, ({ text }) => text).flatMap((group) => {
    const [statement] = group;
    if (statement === undefined) return [];
    return tablesOf(statement).flatMap(({ use, steps }) => {
      const scan = steps.find((step) => isScan(step) && (step.tableRows ?? 0) >= record.thresholds.tableRows);
      const wanted = [...use.equal, ...use.range];
      const isTelling = wanted.some((column) => !use.weak.includes(column));
      if (scan === undefined || !isTelling || isServed(use)) return [];
      // Where nearly all rows are wanted, an index is of no use.
      const most = Math.max(...group.map(({ rows, owners }) => owners ?? rows));
      if (!use.isLimited && most > (scan.tableRows ?? 0) / 4) return [];
      const { at } = statement.origin;
      const columns = wanted.map(({ property }) => property).join(", ");
      return [
        {
          kind: "missing-index",
          severity: "warning" as const,
          evidence: `All ${many(scan.tableRows ?? 0)} rows of ${use.entity.name} are read${placeOf(at)} to find those by ${columns} (${scan.text}).`,
          remedy: indexText(use.entity, indexFor(use), record),
          at,
          statements: group,
        },
      ];
    });
  });
