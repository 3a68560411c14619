import type { Derivation } from "../expression/index.js";
import type { CommonTable, Compound, Select } from "./tree.js";

/** Where no tables are: in values, and in a query as it was built, whose text is elsewhere. */
const apart: ReadonlySet<string> = new Set(["of", "parameter", "values", "rows"]);

/** The tables that a part of a statement is of, in small letters: engines may take two names for one. */
function tablesIn(part: unknown, found: Set<string> = new Set()): Set<string> {
  if (typeof part !== "object" || part === null) return found;
  if ("kind" in part && part.kind === "table" && "table" in part && typeof part.table === "string")
    found.add(part.table.toLowerCase());
  for (const [name, value] of Object.entries(part)) if (!apart.has(name)) tablesIn(value, found);
  return found;
}

/** What the queries that a select names before it begins are called: as they were named, unless a table or another is. */
export function namesOf(
  select: Select | Compound,
  common: readonly CommonTable[],
): readonly (readonly [Derivation, string])[] {
  const taken = tablesIn(select);
  return common.map(({ of, name: wish }) => {
    let name = wish;
    for (let i = 2; taken.has(name.toLowerCase()); i++) name = `${wish}_${i}`;
    taken.add(name.toLowerCase());
    return [of, name];
  });
}
