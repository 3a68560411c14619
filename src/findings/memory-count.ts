import { type Finder, type Finding, many, placeOf } from "./finding.js";
import type { LedgerRecord } from "./record.js";
import type { ReadTally } from "./tally.js";
import { found, lastOf, nameOf, propertiesOf, sum, together } from "./unread.js";

/** Rows of which nothing was read at all: they were fetched only to be counted. */
export const findMemoryCounts: Finder = (record) =>
  together(record.reads).flatMap((tallies) => {
    const rows = sum(tallies, "rows");
    const place = placeOf(tallies[0]?.origin.at);
    if (sum(tallies, "touched") > 0) return countedLists(record, tallies, place);
    if (rows < record.thresholds.unreadRows) return [];
    return [
      found(record, tallies, {
        kind: "memory-count",
        severity: "warning",
        evidence: `${many(rows)} rows of ${nameOf(tallies)} were fetched${place}, and nothing of them was read: they were counted, or not used.`,
        remedy: "Have the database count: db.count(query), or db.exists(query).",
      }),
    ];
  });

/** Lists of related rows that were looked at for their length alone. */
function countedLists(record: LedgerRecord, tallies: readonly ReadTally[], place: string): readonly Finding[] {
  const properties = propertiesOf(tallies);
  return properties.flatMap(({ path, isRelation, read }) => {
    const below = properties.filter((other) => other.path.startsWith(`${path}.`));
    const rows = Math.max(0, ...below.map(({ there }) => there));
    if (!isRelation || read === 0 || rows < record.thresholds.unreadRows || below.some((other) => other.read > 0))
      return [];
    return [
      found(record, tallies, {
        kind: "memory-count",
        severity: "warning",
        evidence: `${many(rows)} rows of ${nameOf(tallies)}.${path} were fetched${place}, and nothing of them was read but their number.`,
        remedy: `Have the database count them: ${lastOf(path)}: (r) => r.counted() in the reach, or r.${path}.count() in a select.`,
      }),
    ];
  });
}
