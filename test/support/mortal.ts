import type { Driver, Session } from "../../src/index.js";

/** What ends work as the end of its process would. */
export class Death extends Error {}

/**
 * A driver whose process dies with one of its statements: before it is sent, or right after it is done. Nothing is sent any more then, and
 * connections are gone.
 */
export function mortal(driver: Driver, deathAt: number, isAfter: boolean): Driver & { readonly isDead: () => boolean } {
  let sent = 0;
  let isDead = false;
  const die = (): never => {
    isDead = true;
    throw new Death("dead");
  };
  const living = <R>(work: () => R): R => {
    if (isDead) return die();
    if (++sent !== deathAt) return work();
    if (!isAfter) return die();
    const done = work();
    return (done instanceof Promise ? done.then(die) : die()) as R;
  };
  const session = (own: Session): Session => ({
    send: (request) => living(() => own.send(request)),
    begin: (settings) => living(() => own.begin(settings)),
    commit: () => living(() => own.commit()),
    rollback: () => living(() => own.rollback()),
    savepoint: (name) => living(() => own.savepoint(name)),
    release: (name) => living(() => own.release(name)),
    rollbackTo: (name) => living(() => own.rollbackTo(name)),
    close: (isBroken) => {
      // A handle in this process outlives the dead one, as its file would.
      if (!isDead || driver.exclusive === undefined) own.close(isBroken || isDead);
      else void Promise.resolve(undo(own)).finally(() => own.close(false));
    },
  });
  return {
    ...driver,
    isDead: () => isDead,
    send: (request) => living(() => driver.send(request)),
    open: (stop) => {
      const opened = driver.open(stop);
      return opened instanceof Promise ? opened.then(session) : session(opened);
    },
  };
}

const undo = async (own: Session): Promise<void> => {
  try {
    await own.rollback();
  } catch {
    // There was none.
  }
};
