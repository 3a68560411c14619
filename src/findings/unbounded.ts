import { type Finder, groupsOf, many, placeOf, queryOf, siteAndText } from "./finding.js";

/** A list without a limit that has many rows already. */
export const findUnbounded: Finder = ({ statements, thresholds: { listRows } }) =>
  groupsOf(
    statements.filter(
      ({ rows, origin }) => origin.verb === "list" && origin.relation === undefined && rows >= listRows,
    ),
    siteAndText,
  ).flatMap((group) => {
    const most = Math.max(...group.map(({ owners, rows }) => owners ?? rows));
    const [first] = group;
    const state = first === undefined ? undefined : queryOf(first);
    if (first === undefined || state === undefined || state.limit !== undefined || most < listRows) return [];
    const { at, entity } = first.origin;
    return [
      {
        kind: "unbounded",
        severity: "note" as const,
        evidence: `list()${placeOf(at)} has no limit and gave ${many(most)} rows of ${entity ?? "a query"}; there will be more as the table grows.`,
        remedy: `Say how many are wanted: query.limit(n), db.page(query, { size }) or db.portion(query, size); or take them one after the other: for await (const row of db.stream(query)).`,
        at,
        statements: group,
      },
    ];
  });
