import { GemachError } from "../errors/index.js";
import { type AsyncContext, asyncContext, type Context } from "../run/index.js";
import type { Joining, Transaction } from "./open-transaction.js";

/** A database's context, whose verbs join the transaction that they are called inside of. */
export interface Joined {
  readonly context: Context;
  /** The transaction that the running code is inside of. */
  current(): Transaction | undefined;
  readonly join: Joining;
}

/** A transaction that code is inside of, and the one around it. */
interface Inside {
  readonly tx: Transaction;
  readonly context: Context;
  readonly outer: Inside | undefined;
  isOver: boolean;
}

/** The state that all handles of one database share, so that they join one transaction. */
export type Ambience = AsyncContext<Inside>;

/**
 * The platform's way to follow the calls of a database.
 * @throws GemachError `PLATFORM_UNABLE` where it has none.
 */
export function ambience(): Ambience {
  const storage = asyncContext<Inside>();
  if (storage === undefined) throw new GemachError("PLATFORM_UNABLE", { option: "ambient" });
  return storage;
}

/** Lets the verbs of a database join the transaction whose work calls them; what outlives it is outside of it again. */
export function joining(own: Context, storage: Ambience): Joined {
  const inside = (): Inside | undefined => {
    let at = storage.getStore();
    while (at?.isOver === true) at = at.outer;
    return at;
  };
  const at = (): Context => inside()?.context ?? own;
  return {
    context: {
      compiler: own.compiler,
      isSnapshot: own.isSnapshot,
      values: own.values,
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
    current: () => inside()?.tx.givenBy(own.values),
    join: async (tx, context, work) => {
      const entered: Inside = { tx, context, outer: inside(), isOver: false };
      try {
        return await storage.run(entered, work);
      } finally {
        entered.isOver = true;
      }
    },
  };
}
