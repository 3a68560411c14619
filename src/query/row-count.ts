import { GemachError } from "../errors/index.js";

/**
 * A number of rows that limit and offset take.
 * @throws GemachError `LIMIT_UNFIT`
 */
export function rowCount(value: unknown, method: string): number {
  if (!Number.isSafeInteger(value) || (value as number) < 0) throw new GemachError("LIMIT_UNFIT", { method });
  return value as number;
}
