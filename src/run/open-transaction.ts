import { GemachError } from "../errors/index.js";
import type { Dialect } from "../sql/index.js";
import type { Compiler } from "./compiler.js";
import { register } from "./connections.js";
import type { Session } from "./driver.js";
import { savepointName, sessionSender } from "./session-sender.js";
import { Verbs } from "./verbs.js";
import type { Watch } from "./watch.js";

/** Work in a transaction: what it gives is what the transaction gives. */
export type TransactionWork<R> = (tx: Transaction) => Promise<R>;

/** What all handles of one transaction share. */
interface Shared {
  readonly session: Session;
  readonly compiler: Compiler;
  readonly watch: Watch;
  readonly clock: () => number;
  readonly isReadOnly: boolean;
}

/** Where a handle stands: in use, lent to a transaction inside of it, or at its end. */
interface State {
  at: "open" | "lent" | "ended";
  readonly afterwards: (() => unknown)[];
}

/** A transaction: every verb of a database, on one connection. Made by `transaction()`, and of no use after its end. */
export class Transaction extends Verbs {
  /** The dialect that it speaks. */
  readonly dialect: Dialect;
  readonly #shared: Shared;
  readonly #state: State;
  readonly #free: () => Promise<void>;

  /** @internal */
  constructor(shared: Shared, state: State) {
    const { session, compiler, watch, clock, isReadOnly } = shared;
    const sender = sessionSender(session, watch, () => refuseEnded(state));
    super({ compiler, sender, isSnapshot: false, isReadOnly });
    this.#shared = shared;
    this.#free = sender.free;
    this.#state = state;
    this.dialect = compiler.runtime.dialect;
    register(this, { sender, dialect: this.dialect, clock });
  }

  /**
   * Does work in a transaction inside of this one, a savepoint: what fails in it is undone alone. Its own handle is to be
   * used meanwhile, and not this one.
   */
  async transaction<R>(work: TransactionWork<R>): Promise<R> {
    refuseEnded(this.#state);
    // A savepoint of a verb that is on its way would end this one with it.
    await this.#free();
    refuseEnded(this.#state);
    const { session } = this.#shared;
    const name = savepointName();
    const state: State = { at: "open", afterwards: [] };
    this.#state.at = "lent";
    try {
      await session.savepoint(name);
      const result = await work(new Transaction(this.#shared, state));
      state.at = "ended";
      await session.release(name);
      this.#state.afterwards.push(...state.afterwards);
      return result;
    } catch (error) {
      state.at = "ended";
      await Promise.resolve(session.rollbackTo(name)).catch(() => {});
      throw error;
    } finally {
      this.#state.at = "open";
    }
  }

  /** Has something done once the whole transaction is committed; nothing is if it is not. */
  afterCommit(work: () => unknown): void {
    refuseEnded(this.#state);
    this.#state.afterwards.push(work);
  }
}

function refuseEnded({ at }: State): void {
  if (at !== "open") throw new GemachError("TRANSACTION_ENDED", { isLent: at === "lent" });
}
