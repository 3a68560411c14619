import type { VerbOrigin } from "../watching/origin.js";
import type { Watch } from "../watching/watch.js";
import {
  type Driver,
  type MaybePromise,
  type Request,
  type Send,
  type Session,
  snapshot,
  type WireRows,
} from "./driver.js";
import { refuseInside } from "./exclusive.js";
import { opened } from "./opened.js";
import type { Branches, Steps } from "./steps.js";
import type { Stop } from "./stop.js";
import { transact, transactAtOnce } from "./transaction.js";

/**
 * Whether statements are to be one transaction: "always", "snapshot" to see one state of the data, "free" only where
 * that costs nothing because the driver answers at once, or "no".
 */
export type Atomicity = "always" | "snapshot" | "free" | "no";

/** Sends statements: to a pool, each by itself, or to one session. */
export interface Sender {
  readonly watch: Watch;
  /** What ends all that it sends. */
  readonly stop: Stop | undefined;
  /** Sends one statement that nobody watches. */
  readonly send: Send;
  /** Runs steps to their end, or until it is time to stop; by its own stop where none is said. */
  run<R>(steps: () => Steps<R>, atomicity: Atomicity, verb: VerbOrigin, stop?: Stop): MaybePromise<R>;
}

/** Sends what may be ended before its end. */
export const stoppable = (send: Send, stop: Stop | undefined): Send =>
  stop === undefined
    ? send
    : (request) => {
        stop.check();
        return send({ ...request, stop });
      };

type SendRequest = (request: Request) => MaybePromise<WireRows>;

/**
 * Runs steps over one way to send, at once as long as answers come at once. `isWide`: several statements may be on
 * their way at a time, so that branches cost one way to the server and back, and not one each.
 */
export function walk<R>(send: SendRequest, steps: Steps<R>, isWide = false): MaybePromise<R> {
  let step = steps.next();
  while (step.done !== true) {
    const answer = answerTo(send, step.value, isWide);
    if (answer instanceof Promise) return goOn(send, steps, answer, isWide);
    step = steps.next(answer);
  }
  return step.value;
}

async function goOn<R>(send: SendRequest, steps: Steps<R>, first: Promise<WireRows>, isWide: boolean): Promise<R> {
  let answer: MaybePromise<WireRows> = first;
  for (;;) {
    const step: IteratorResult<Request | Branches, R> = steps.next(await answer);
    if (step.done === true) return step.value;
    answer = answerTo(send, step.value, isWide);
  }
}

function answerTo(send: SendRequest, asked: Request | Branches, isWide: boolean): MaybePromise<WireRows> {
  if (!("branches" in asked)) return send(asked);
  return isWide ? allAtOnce(send, asked.branches) : inTurn(send, asked.branches);
}

function inTurn(send: SendRequest, branches: readonly Steps<void>[]): MaybePromise<WireRows> {
  for (const [i, branch] of branches.entries()) {
    const done = walk(send, branch);
    if (done instanceof Promise) return done.then(() => inTurn(send, branches.slice(i + 1)));
  }
  return [];
}

/** Ends when all of them have, so that nothing is on its way any more where one fails. */
async function allAtOnce(send: SendRequest, branches: readonly Steps<void>[]): Promise<WireRows> {
  const ends = await Promise.allSettled(
    branches.map(async (branch, i) => {
      const sendIn: SendRequest = (request) => {
        request.branch = [i, ...(request.branch ?? [])];
        return send(request);
      };
      return await walk(sendIn, branch, true);
    }),
  );
  for (const end of ends) if (end.status === "rejected") throw end.reason;
  return [];
}

/** Sends to a driver: work that is to be one transaction gets a session of its own. */
export function poolSender(driver: Driver, watch: Watch): Sender {
  const isWide = !driver.answersAtOnce && driver.exclusive === undefined;
  const inSession = <R>(
    session: Session,
    steps: () => Steps<R>,
    atomicity: Atomicity,
    verb: VerbOrigin,
    stop: Stop | undefined,
  ): MaybePromise<R> => {
    const settings = atomicity === "always" ? {} : snapshot;
    const send = stoppable(session.send, stop);
    const work = () => walk((request) => watch.send(send, request, verb), steps());
    return driver.answersAtOnce
      ? transactAtOnce(session, settings, work as () => R)
      : transact(session, settings, work);
  };
  return {
    watch,
    stop: undefined,
    send: (request) => {
      refuseInside(driver);
      return driver.send(request);
    },
    run: (steps, atomicity, verb, stop) => {
      refuseInside(driver);
      if (atomicity === "no" || (atomicity === "free" && !driver.answersAtOnce)) {
        const send = stoppable(driver.send, stop);
        return walk((request) => watch.send(send, request, verb), steps(), isWide);
      }
      stop?.check();
      const session = opened(driver, watch, stop, verb);
      return session instanceof Promise
        ? session.then((opened) => inSession(opened, steps, atomicity, verb, stop))
        : inSession(session, steps, atomicity, verb, stop);
    },
  };
}
