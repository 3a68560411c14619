import { GemachError } from "../errors/index.js";
import { asyncContext, type Context } from "../run/index.js";
import type { Joining, Transaction } from "./open-transaction.js";

/** A database's context, whose verbs join the transaction that they are called inside of. */
export interface Joined {
  readonly context: Context;
  /** The transaction that the running code is inside of. */
  current(): Transaction | undefined;
  readonly join: Joining;
}

/**
 * Lets the verbs of a database join the transaction whose work calls them.
 * @throws GemachError `ENGINE_UNABLE` where the platform cannot follow asynchronous calls.
 */
export function joining(own: Context): Joined {
  const storage = asyncContext<{ readonly tx: Transaction; readonly context: Context }>();
  if (storage === undefined) throw new GemachError("PLATFORM_UNABLE", { option: "ambient" });
  const at = (): Context => storage.getStore()?.context ?? own;
  return {
    context: {
      compiler: own.compiler,
      isSnapshot: own.isSnapshot,
      get sender() {
        return at().sender;
      },
      get isReadOnly() {
        return at().isReadOnly;
      },
      get isTransaction() {
        return at().isTransaction;
      },
    },
    current: () => storage.getStore()?.tx,
    join: (tx, context, work) => storage.run({ tx, context }, work),
  };
}
