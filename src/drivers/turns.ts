import type { MaybePromise, Stop } from "../run/index.js";

/** Whose turn it is on an engine with one handle: one session, or any number of single statements. */
export interface Turns {
  /** Does work as soon as no session is open: right now where that is so. What is stopped before is not done. */
  single<R>(work: () => MaybePromise<R>, stop?: Stop): MaybePromise<R>;
  /** Waits until no session is open, and keeps all others waiting until the function that it gives is called. */
  enter(stop?: Stop): MaybePromise<() => void>;
}

function turns(): Turns {
  const waiting: (() => void)[] = [];
  let isTaken = false;
  const leave = (): void => {
    isTaken = false;
    // Whoever waits goes on in the order of coming; a single statement does not keep the next from going on too.
    while (!isTaken && waiting.length > 0) waiting.shift()?.();
  };
  const take = (): (() => void) => {
    isTaken = true;
    let isLeft = false;
    return () => {
      if (isLeft) return;
      isLeft = true;
      leave();
    };
  };
  const isFree = () => !isTaken && waiting.length === 0;
  /** Waits for a turn; whoever is stopped meanwhile gives it up. */
  const inTurn = <R>(work: () => MaybePromise<R>, stop: Stop | undefined): Promise<R> =>
    new Promise((resolve, reject) => {
      const forget = stop?.on(() => {
        waiting.splice(waiting.indexOf(begin), 1);
        reject(stop.error());
      });
      const begin = () => {
        forget?.();
        try {
          stop?.check();
          resolve(work());
        } catch (error) {
          reject(error);
        }
      };
      waiting.push(begin);
    });
  return {
    single: (work, stop) => (isFree() ? work() : inTurn(work, stop)),
    enter: (stop) => (isFree() ? take() : inTurn(take, stop)),
  };
}

const byHandle = new WeakMap<object, Turns>();

/** The turns of a handle: the same for all drivers over it. */
export function turnsOf(handle: object): Turns {
  const known = byHandle.get(handle) ?? turns();
  byHandle.set(handle, known);
  return known;
}
