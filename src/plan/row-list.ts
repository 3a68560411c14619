import { typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import type { ResolvedEntity } from "../ir/index.js";

/**
 * Rows that were handed over, found to be such.
 * @throws GemachError `ROWS_EXPECTED`
 */
export function rowList<Row extends object>(rows: unknown, { name }: ResolvedEntity, call: string): readonly Row[] {
  const isRow = (row: unknown): row is Row => typeof row === "object" && row !== null;
  if (!Array.isArray(rows) || !rows.every(isRow))
    throw new GemachError("ROWS_EXPECTED", {
      call,
      entity: name,
      got: Array.isArray(rows) ? "a list of something else" : typeWord(rows),
    });
  return rows;
}
