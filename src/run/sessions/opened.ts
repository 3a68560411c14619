import type { VerbOrigin } from "../watching/origin.js";
import type { Watch } from "../watching/watch.js";
import type { Driver, MaybePromise, Session } from "./driver.js";
import type { Stop } from "./stop.js";

/**
 * Opens a session, and tells who watches how long that took; `call`: the verb that it is for, undefined for a
 * transaction.
 */
export function opened(driver: Driver, watch: Watch, stop: Stop | undefined, call?: VerbOrigin): MaybePromise<Session> {
  if (!watch.isWatched()) return driver.open(stop);
  const asked = watch.clock();
  const told = (session: Session): Session => {
    const milliseconds = watch.clock() - asked;
    watch.tell((observer) => observer.waited?.(milliseconds, call));
    return session;
  };
  const session = driver.open(stop);
  return session instanceof Promise ? session.then(told) : told(session);
}
