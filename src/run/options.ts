import { GemachError } from "../errors/index.js";

/**
 * Refuses options that a call does not have.
 * @throws GemachError `OPTION_UNKNOWN`
 */
export function expectOptions(call: string, options: object, known: readonly string[]): void {
  for (const option of Object.keys(options))
    if (!known.includes(option)) throw new GemachError("OPTION_UNKNOWN", { call: `${call}()`, option, known });
}
