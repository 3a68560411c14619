import { type Finder, many, placeOf } from "./finding.js";
import { found, nameOf, sum, together } from "./unread.js";

/** Many rows fetched of which few were looked at. */
export const findMemoryCuts: Finder = (record) =>
  together(record.reads).flatMap((tallies) => {
    const [rows, touched] = [sum(tallies, "rows"), sum(tallies, "touched")];
    if (touched === 0 || rows - touched < record.thresholds.unreadRows || touched > rows / 4) return [];
    return [
      found(record, tallies, {
        kind: "memory-cut",
        severity: "warning",
        evidence: `${many(rows)} rows of ${nameOf(tallies)} were fetched${placeOf(tallies[0]?.origin.at)}, and ${many(touched)} of them looked at.`,
        remedy: `Have the database cut: query.limit(${touched}), or db.page(query, { size: ${touched} }); what the rows were chosen by goes into where() and orderBy().`,
      }),
    ];
  });
