import type { Driver, Request, Session, WireRows } from "../sessions/driver.js";
import { now } from "../sessions/now.js";
import { walk } from "../sessions/sender.js";
import { savepointName } from "../sessions/session-sender.js";
import { type ExplainedStatement, explainedOf, isExplicable, planOf } from "./explain.js";

/**
 * A session in which each statement is explained right before it is sent, on the data that it will meet. What measuring
 * it wrote is undone by a savepoint before it is sent; so is a refusal to explain it, after which a transaction may be
 * of no use.
 */
function explainingSession(
  session: Session,
  { dialect }: Driver,
  isMeasured: boolean,
  found: ExplainedStatement[],
): Session {
  let last: Promise<unknown> = Promise.resolve();
  /** One after the other, so that no savepoint is undone with another. */
  const inTurn = <R>(work: () => R | Promise<R>): Promise<R> => {
    const answer = last.then(work);
    last = answer.catch(() => {});
    return answer;
  };
  const explain = async (request: Request): Promise<WireRows> => {
    const name = savepointName();
    await session.savepoint(name);
    const asking = async () => await walk(session.send, planOf(request, dialect, isMeasured ? "all" : "no"));
    const plan = await asking().catch(() => undefined);
    await session.rollbackTo(name);
    const started = now();
    const answer = await session.send(request);
    const met = isMeasured ? { rows: answer.length, milliseconds: now() - started } : {};
    if (plan !== undefined) found.push(explainedOf(request, plan, met));
    return answer;
  };
  return {
    send: (request) =>
      inTurn(() => (isExplicable(request.text, request.origin) ? explain(request) : session.send(request))),
    begin: (settings) => session.begin(settings),
    commit: () => inTurn(() => session.commit()),
    rollback: () => inTurn(() => session.rollback()),
    savepoint: (name) => inTurn(() => session.savepoint(name)),
    release: (name) => inTurn(() => session.release(name)),
    rollbackTo: (name) => inTurn(() => session.rollbackTo(name)),
    close: (isBroken) => session.close(isBroken),
  };
}

/** A driver in whose sessions each statement is explained; `found` gets the plans, in the order of their statements. */
export function explainingDriver(driver: Driver, isMeasured: boolean, found: ExplainedStatement[]): Driver {
  const explaining = async (stop: Parameters<Driver["open"]>[0]) =>
    explainingSession(await driver.open(stop), driver, isMeasured, found);
  return { ...driver, answersAtOnce: false, open: explaining };
}
