import { GemachError } from "../../errors/index.js";
import { asyncContext } from "./async-context.js";
import type { Driver } from "./driver.js";

const context = asyncContext<object>();
let open = 0;

/** Runs the work of a transaction, so that whatever would wait for its end from inside of it is known. */
export async function insideOf<R>({ exclusive }: Driver, work: () => Promise<R>): Promise<R> {
  if (exclusive === undefined || context === undefined) return await work();
  open++;
  try {
    return await context.run(exclusive, work);
  } finally {
    // As long as calls are followed, each promise of a program takes longer.
    if (--open === 0) context.disable();
  }
}

/**
 * Refuses what would wait for a transaction that it is a part of.
 * @throws GemachError `TRANSACTION_AWAITED`
 */
export function refuseInside({ exclusive, dialect }: Driver): void {
  if (open === 0 || exclusive === undefined || context?.getStore() !== exclusive) return;
  throw new GemachError("TRANSACTION_AWAITED", { engine: dialect.engine });
}
