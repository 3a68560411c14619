import { controlOrigin } from "../watching/origin.js";
import type { WireRows } from "./driver.js";
import type { Sender } from "./sender.js";
import type { Steps } from "./steps.js";

/** Sends a statement of the library's own, without values, by itself; gives its rows as they come. */
export async function sendOwn(sender: Sender, text: string, purpose: string): Promise<WireRows> {
  const steps = function* (): Steps<WireRows> {
    return yield { text, parameters: [], origin: controlOrigin(purpose), once: true };
  };
  return await sender.run(steps, "no", { verb: purpose, query: undefined, at: undefined });
}
