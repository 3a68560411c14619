import { GemachError } from "../errors/index.js";
import type { ResolvedEntity } from "./resolved.js";

/**
 * Refuses rows that nothing tells apart, where they must be.
 * @throws GemachError `KEY_MISSING`
 */
export function expectKey({ key, name }: ResolvedEntity, call: string): void {
  if (key.length === 0) throw new GemachError("KEY_MISSING", { entity: name, call });
}
