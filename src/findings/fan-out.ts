import { type Finder, many, placeOf } from "./finding.js";

/** From so many rows on: fewer are soon sent. */
const leastRows = { multiplied: 100, repeated: 1000 };

/** A join whose rows repeat those that the others belong to, many times. */
export const findFanOuts: Finder = ({ statements, thresholds: { fanOut } }) =>
  statements.flatMap((statement) => {
    const { rows, owners, objects, origin } = statement;
    if (owners === undefined || objects === undefined || owners === 0) return [];
    // Several lists beside each other are multiplied: more rows than there is anything to make of them.
    const isMultiplied = rows >= leastRows.multiplied && rows >= 1.5 * objects;
    const isRepeated = rows >= leastRows.repeated && rows >= fanOut * owners;
    if (!isMultiplied && !isRepeated) return [];
    const seen = isMultiplied
      ? `for ${many(objects)} objects in all: lists beside each other were multiplied`
      : `each of the ${many(owners)} rows ${many(rows / owners)} times`;
    return [
      {
        kind: "fan-out",
        severity: isMultiplied ? ("warning" as const) : ("note" as const),
        evidence: `The join${placeOf(origin.at)} brought ${many(rows)} rows, ${seen}.`,
        remedy: `Fetch the lists by statements of their own: leave .how("join") out, or say .how("batch") of the relations.`,
        at: origin.at,
        statements: [statement],
      },
    ];
  });
