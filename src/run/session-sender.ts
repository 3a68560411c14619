import type { Request, Send, Session, Soon, WireRows } from "./driver.js";
import type { VerbOrigin } from "./origin.js";
import { type Sender, type Together, walk } from "./sender.js";
import type { Steps } from "./steps.js";
import type { Watch } from "./watch.js";

/** Numbers savepoints, so that none has the name of another. */
let count = 0;
export const savepointName = (): string => `gemach_${++count}`;

/** What sends to one session; `free`: waits until no savepoint of its own is open. */
export interface SessionSender extends Sender {
  free(): Promise<void>;
}

/**
 * Sends to one session that has a transaction open. Work that is all or none is a savepoint in it, and other statements
 * wait meanwhile, so that nothing of theirs is undone with it.
 * @param check is asked before each statement, and refuses it by an error.
 */
export function sessionSender(session: Session, watch: Watch, check: () => void): SessionSender {
  let busy: Promise<unknown> | undefined;
  const free = async (): Promise<void> => {
    while (busy !== undefined) await busy;
  };
  const send: Send = (request) => {
    check();
    return busy === undefined ? session.send(request) : free().then(() => send(request));
  };
  /** A savepoint's own statements go past the wait for it. */
  const watched = (request: Request, verb: VerbOrigin): Soon<WireRows> => watch.send(session.send, request, verb);

  function inSavepoint<R>(steps: () => Steps<R>, verb: VerbOrigin): Soon<R> {
    const name = savepointName();
    const begun = session.savepoint(name);
    if (begun instanceof Promise) return begun.then(() => later(name, steps, verb));
    try {
      const result = walk((request) => watched(request, verb), steps()) as R;
      session.release(name);
      return result;
    } catch (error) {
      undoQuietly(session, name);
      throw error;
    }
  }
  async function later<R>(name: string, steps: () => Steps<R>, verb: VerbOrigin): Promise<R> {
    try {
      const result = await walk((request) => watched(request, verb), steps());
      await session.release(name);
      return result;
    } catch (error) {
      await Promise.resolve(session.rollbackTo(name)).catch(() => {});
      throw error;
    }
  }
  const run = <R>(steps: () => Steps<R>, together: Together, verb: VerbOrigin): Soon<R> => {
    check();
    if (busy !== undefined) return free().then(() => run(steps, together, verb));
    if (together !== "always") return walk((request) => watch.send(send, request, verb), steps());
    const work = inSavepoint(steps, verb);
    if (!(work instanceof Promise)) return work;
    const own = work
      .catch(() => {})
      .then(() => {
        if (busy === own) busy = undefined;
      });
    busy = own;
    return work;
  };
  return { watch, send, run, free };
}

/** A trigger may have ended the savepoint with the transaction: the error that did it is what counts. */
function undoQuietly(session: Session, name: string): void {
  try {
    session.rollbackTo(name);
  } catch {}
}
