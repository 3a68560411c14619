import { GemachError } from "../errors/index.js";

/**
 * A number of rows, or of pages and levels: whole, and not less than the least.
 * @throws GemachError `LIMIT_UNFIT`
 */
export function rowCount(value: unknown, method: string, least = 0): number {
  if (!Number.isSafeInteger(value) || (value as number) < least)
    throw new GemachError("LIMIT_UNFIT", { method, least });
  return value as number;
}
