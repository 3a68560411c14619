import { GemachError } from "../errors/index.js";
import { andThen, type MaybePromise, type Send, type WireRows } from "../run/index.js";

/**
 * Keeps a session from going on after an error has ended its transaction: the rest would stay, whatever becomes of it.
 */
export interface EndWatch {
  /** A transaction has begun. */
  begun(): void;
  /**
   * Sends as long as the transaction is open, and notes errors that may have ended it.
   * @throws GemachError `TRANSACTION_FAILED` where it is over.
   */
  guard(send: Send): Send;
  /** Whether it is over, so that there is nothing to roll back. */
  isOver(): MaybePromise<boolean>;
}

/**
 * Watches the errors of a session's statements. Most leave the transaction open; a deadlock, a trigger or a full disk
 * may roll it back, and what comes then would be a transaction for itself. So whether it is open is asked after an
 * error, before anything else is done.
 * @param isOpen asks the engine.
 */
export function endWatch(engine: string, isOpen: () => MaybePromise<boolean>): EndWatch {
  let hasBegun = false;
  /** Errors after which nobody has asked yet; the first of them ended the transaction, if one did. */
  let suspect: { readonly error: unknown } | undefined;
  let over: { readonly error: unknown } | undefined;
  const note = (error: unknown): never => {
    if (hasBegun) suspect ??= { error };
    throw error;
  };
  const ask = (): MaybePromise<boolean> => {
    if (over !== undefined) return true;
    if (suspect === undefined) return false;
    return andThen(isOpen(), (isStill) => {
      if (!isStill) over = suspect;
      suspect = undefined;
      return !isStill;
    });
  };
  const refuse = (isOver: boolean): void => {
    if (isOver) throw new GemachError("TRANSACTION_FAILED", { engine, isOver: true }, { cause: over?.error });
  };
  const check = (): MaybePromise<void> =>
    suspect === undefined && over === undefined ? undefined : andThen(ask(), refuse);
  return {
    begun: () => {
      hasBegun = true;
    },
    isOver: ask,
    guard: (send) => {
      const sending: Send = (request) => {
        try {
          const answer = send(request);
          return answer instanceof Promise ? answer.catch(note) : answer;
        } catch (error) {
          return note(error);
        }
      };
      return (request): MaybePromise<WireRows> => {
        const checked = check();
        return checked instanceof Promise ? checked.then(() => sending(request)) : sending(request);
      };
    },
  };
}
