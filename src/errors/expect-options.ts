import { GemachError } from "./gemach-error.js";

/**
 * Refuses options that a call does not have.
 * @throws GemachError `OPTION_UNKNOWN`
 */
export function expectOptions(call: string, options: object | undefined, known: readonly string[]): void {
  if (typeof options !== "object" || options === null) return;
  for (const option of Object.keys(options))
    if (!known.includes(option))
      throw new GemachError("OPTION_UNKNOWN", { call: call.endsWith(")") ? call : `${call}()`, option, known });
}
