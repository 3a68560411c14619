import { type Finder, many, placeOf } from "./finding.js";
import { found, lastOf, nameOf, propertiesOf, sum, together } from "./unread.js";

/** A property is large from so many bytes on, on average. */
const large = 200;

/** What code fetched of each row and never read: a reached relation, or large columns. */
export const findIdleReaches: Finder = (record) =>
  together(record.reads).flatMap((tallies) => {
    if (sum(tallies, "touched") === 0) return [];
    const [first] = tallies;
    const properties = propertiesOf(tallies);
    const unread = properties.filter(({ read, there }) => read === 0 && there > 0);
    const idle = unread.filter(
      ({ path, isRelation }) =>
        isRelation && !unread.some((other) => other.isRelation && path.startsWith(`${other.path}.`)),
    );
    const heavy = unread.filter(
      ({ path, isRelation, bytes, there }) =>
        !isRelation && bytes >= large * there && !idle.some((relation) => path.startsWith(`${relation.path}.`)),
    );
    const place = placeOf(first?.origin.at);
    const relations = idle.map(({ path, there }) =>
      found(record, tallies, {
        kind: "idle-reach",
        severity: "warning",
        evidence: `${nameOf(tallies)}.${path} was reached${place} for ${many(there)} rows, and never read.`,
        remedy: `Leave it out of the reach: no ${lastOf(path)} in .reach({ … }).`,
      }),
    );
    if (heavy.length === 0) return relations;
    const own = properties.filter(({ path, isRelation, read }) => !isRelation && read > 0 && !path.includes("."));
    const columns = heavy.map(({ path }) => path).join(", ");
    const bytes = heavy.reduce((total, one) => total + one.bytes, 0);
    return [
      ...relations,
      found(record, tallies, {
        kind: "idle-reach",
        severity: "note",
        evidence: `${columns} of ${nameOf(tallies)} came with ${many(sum(tallies, "rows"))} rows${place}, about ${many(bytes)} bytes, and was never read.`,
        remedy: `Fetch only what is read: .columns(${own.map(({ path }) => JSON.stringify(path)).join(", ")}); or mark it .heavy in the model.`,
      }),
    ];
  });
