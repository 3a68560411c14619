import type { VerbOrigin } from "../watching/origin.js";
import type { Watch } from "../watching/watch.js";
import type { MaybePromise, Request, Send, Session, WireRows } from "./driver.js";
import { type Atomicity, type Sender, stoppable, walk } from "./sender.js";
import type { Steps } from "./steps.js";
import type { Stop } from "./stop.js";

/** Numbers savepoints, so that none has the name of another. */
let count = 0;
export const savepointName = (): string => `gemach_${++count}`;

/** Sends statements to one session. */
export interface SessionSender extends Sender {
  /** Waits until no savepoint of its own is open. */
  free(): Promise<void>;
  /** Waits until nothing that was begun is on its way any more. */
  settled(): MaybePromise<void>;
}

/**
 * Sends to one session that has a transaction open. Work that is all or none is a savepoint in it, and other statements
 * wait meanwhile, so that nothing of theirs is undone with it.
 * @param check is asked before each statement, and refuses it by an error.
 */
export function sessionSender(session: Session, watch: Watch, check: () => void, own: Stop | undefined): SessionSender {
  let busy: Promise<unknown> | undefined;
  const underway = new Set<Promise<unknown>>();
  const free = async (): Promise<void> => {
    while (busy !== undefined) await busy;
  };
  const settled = (): MaybePromise<void> =>
    underway.size === 0 ? undefined : Promise.allSettled(underway).then(settled);
  const noted = <R>(work: MaybePromise<R>): MaybePromise<R> => {
    if (!(work instanceof Promise)) return work;
    underway.add(work);
    const done = () => void underway.delete(work);
    work.then(done, done);
    return work;
  };
  const direct = (stop: Stop | undefined): Send => {
    const send = stoppable(session.send, stop);
    return (request) => {
      check();
      return busy === undefined ? send(request) : free().then(() => direct(stop)(request));
    };
  };
  const ownSend = direct(own);

  function inSavepoint<R>(
    watched: (request: Request) => MaybePromise<WireRows>,
    steps: () => Steps<R>,
  ): MaybePromise<R> {
    const name = savepointName();
    const begun = session.savepoint(name);
    if (begun instanceof Promise) return begun.then(() => later(name, watched, steps));
    try {
      const result = walk(watched, steps()) as R;
      session.release(name);
      return result;
    } catch (error) {
      undoQuietly(session, name);
      throw error;
    }
  }
  async function later<R>(
    name: string,
    watched: (request: Request) => MaybePromise<WireRows>,
    steps: () => Steps<R>,
  ): Promise<R> {
    try {
      const result = await walk(watched, steps());
      await session.release(name);
      return result;
    } catch (error) {
      await undoQuietly(session, name);
      throw error;
    }
  }
  const begin = <R>(
    steps: () => Steps<R>,
    atomicity: Atomicity,
    verb: VerbOrigin,
    stop: Stop | undefined,
  ): MaybePromise<R> => {
    check();
    stop?.check();
    if (busy !== undefined) return free().then(() => begin(steps, atomicity, verb, stop));
    const sendBy = (send: Send) => (request: Request) => watch.send(send, request, verb);
    if (atomicity !== "always") return walk(sendBy(stop === own ? ownSend : direct(stop)), steps());
    // A savepoint's own statements go past the wait for it.
    const work = inSavepoint(sendBy(stoppable(session.send, stop)), steps);
    if (!(work instanceof Promise)) return work;
    const self = work
      .catch(() => {})
      .then(() => {
        if (busy === self) busy = undefined;
      });
    busy = self;
    return work;
  };
  return {
    watch,
    stop: own,
    send: (request) => noted(ownSend(request)),
    run: (steps, atomicity, verb, stop = own) => noted(begin(steps, atomicity, verb, stop)),
    free,
    settled,
  };
}

/**
 * Rolls back to a savepoint. Where that fails, a trigger may have ended the savepoint with the transaction: the error
 * that did it is what counts.
 */
export function undoQuietly(session: Session, name: string): MaybePromise<unknown> {
  try {
    const undone = session.rollbackTo(name);
    return undone instanceof Promise ? undone.catch(() => {}) : undone;
  } catch {
    return;
  }
}
