import { stepsIn } from "../sql/index.js";
import { type Finder, groupsOf, many, placeOf } from "./finding.js";
import { indexFor, indexText, isThere, tablesOf } from "./plan-steps.js";

/** Many rows are sorted for the first few of them, which an index in that order would give at once. */
export const findUnindexedSorts: Finder = (record) =>
  groupsOf(record.statements, ({ text }) => text).flatMap((group) => {
    const [statement] = group;
    if (statement?.plan === undefined || ![...stepsIn(statement.plan)].some(({ operation }) => operation === "sort"))
      return [];
    return tablesOf(statement).flatMap(({ use, steps }) => {
      const wanted = indexFor(use);
      const isSorted =
        use.isLimited && use.order.some(({ column }) => !column.isKey && wanted.some((part) => part.column === column));
      const scan = steps.find((step) => (step.tableRows ?? 0) >= record.thresholds.tableRows);
      if (!isSorted || scan === undefined || isThere(use.entity, wanted)) return [];
      const { at } = statement.origin;
      const order = use.order
        .map(({ column, descending }) => `${column.property}${descending ? " desc" : ""}`)
        .join(", ");
      return [
        {
          kind: "unindexed-sort",
          severity: "warning" as const,
          evidence: `Rows of ${use.entity.name}, which has ${many(scan.tableRows ?? 0)}, are sorted by ${order}${placeOf(at)} to take the first ${many(statement.rows)}.`,
          remedy: indexText(use.entity, wanted, record),
          at,
          statements: group,
        },
      ];
    });
  });
