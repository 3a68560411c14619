import type { Derivation } from "../../ir/index.js";
import type { CommonTable, Compound, Select } from "./tree.js";
import { tablesIn } from "./walk.js";

/** A name of a part of a write that is not its table's. Engines may take names that differ in capitals for one. */
export const partName = (table: string, wanted: string): string =>
  table.toLowerCase() === wanted.toLowerCase() ? `${wanted}_2` : wanted;

/**
 * What the queries that a select names before it begins are called: as they were named, unless a table or another is.
 */
export function namesOf(
  select: Select | Compound,
  common: readonly CommonTable[],
): readonly (readonly [Derivation, string])[] {
  // In small letters: engines may take two names for one.
  const taken = new Set([...tablesIn(select)].map(({ table }) => table.toLowerCase()));
  return common.map(({ of, name: wanted }) => {
    let name = wanted;
    for (let i = 2; taken.has(name.toLowerCase()); i++) name = `${wanted}_${i}`;
    taken.add(name.toLowerCase());
    return [of, name];
  });
}
