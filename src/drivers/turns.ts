import type { Soon } from "../run/index.js";

/** Whose turn it is on an engine with one handle: one session, or any number of single statements. */
export interface Turns {
  /** Does work as soon as no session is open: right now where that is so. */
  single<R>(work: () => Soon<R>): Soon<R>;
  /** Waits until no session is open, and keeps all others waiting until the function that it gives is called. */
  enter(): Soon<() => void>;
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
  return {
    single: (work) => {
      if (isFree()) return work();
      return new Promise((resolve, reject) => {
        waiting.push(() => {
          try {
            resolve(work());
          } catch (error) {
            reject(error);
          }
        });
      });
    },
    enter: () => (isFree() ? take() : new Promise((resolve) => waiting.push(() => resolve(take())))),
  };
}

const byHandle = new WeakMap<object, Turns>();

/** The turns of a handle: the same for all drivers over it. */
export function turnsOf(handle: object): Turns {
  const known = byHandle.get(handle) ?? turns();
  byHandle.set(handle, known);
  return known;
}
