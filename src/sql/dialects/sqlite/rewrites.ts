import { GemachError } from "../../../errors/index.js";
import type { Select } from "../../tree/tree.js";
import type { Rewrites } from "../dialect.js";
import { isBare, limitBeforeNesting, outsideOf } from "../rewrites.js";
import { sqliteText } from "./text.js";

function refuseLock({ lock }: Select): void {
  if (lock !== undefined)
    throw new GemachError("ENGINE_UNABLE", {
      engine: "SQLite",
      what: "lock single rows",
      instead: "Leave lock() out: the transaction that writes has the whole file to itself.",
    });
}

/** A derived table in descending order and limited, grouped by what it is sorted by, stays in that order (3.53). */
function sortGroups(select: Select): Select {
  const { from, groupBy, orderBy } = select;
  if (groupBy.length === 0 || orderBy.length === 0 || (from.kind !== "derived" && from.kind !== "common"))
    return select;
  return {
    ...select,
    orderBy: orderBy.map((term) => ({
      ...term,
      expression: { kind: "raw", parts: ["+", ""], between: [term.expression] },
    })),
  };
}

/** What SQLite cannot say, or gets wrong. */
export const sqliteRewrites: Rewrites = {
  select: (select) => {
    refuseLock(select);
    return sortGroups(limitBeforeNesting(select));
  },
  compound: (compound) => (isBare(compound, sqliteText) ? compound : outsideOf(compound)),
};
