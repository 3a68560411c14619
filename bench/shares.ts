import { type Database, type Driver, database } from "../src/index.js";
import { connectionOf, type Send, type Session, type WireRows } from "../src/run/index.js";
import type { Job } from "./jobs.js";

/** Where our time goes, in hundredths of it; undefined where the moment was too noisy to say. */
export interface Shares {
  /** Statements on their way, in the engine, and their rows out of the driver. */
  readonly database: number;
  /** Values of the language made of what came over the wire, JSON parsed. */
  readonly decoding: number;
  /** Objects made and put together; the query built, and compiled or looked up. */
  readonly assembling: number;
}

type Answer = { readonly rows: WireRows } | { readonly json: string };

/**
 * A driver that keeps what the engine answers, in the order of asking: several statements may be on their way at once.
 */
function recording(driver: Driver, answers: (Answer | undefined)[]): Driver {
  const kept =
    (send: Send): Send =>
    (request) => {
      const at = answers.push(undefined) - 1;
      const keep = (rows: WireRows): WireRows => {
        answers[at] = request.unpacked === undefined ? { rows } : { json: JSON.stringify(rows) };
        return rows;
      };
      const answer = send(request);
      return answer instanceof Promise ? answer.then(keep) : keep(answer);
    };
  const watched = (session: Session): Session => ({ ...session, send: kept(session.send) });
  return {
    ...driver,
    send: kept(driver.send),
    open: () => {
      const session = driver.open();
      return session instanceof Promise ? session.then(watched) : watched(session);
    },
  };
}

/** A driver that gives the same answers again, in turn. `isParsed`: what is JSON has been parsed before. */
function replaying(driver: Driver, answers: readonly Answer[], isParsed: boolean): Driver {
  const ready = answers.map((answer) =>
    "json" in answer && isParsed ? { rows: JSON.parse(answer.json) as WireRows } : answer,
  );
  let at = 0;
  const send: Send = () => {
    const answer = ready[at++ % ready.length] as Answer;
    const rows = "json" in answer ? (JSON.parse(answer.json) as WireRows) : answer.rows;
    return driver.answersAtOnce ? rows : Promise.resolve(rows);
  };
  const done = () => (driver.answersAtOnce ? undefined : Promise.resolve());
  const session: Session = {
    ...{ send, begin: done, commit: done, rollback: done, savepoint: done, release: done, rollbackTo: done },
    close: () => {},
  };
  return { ...driver, send, open: () => (driver.answersAtOnce ? session : Promise.resolve(session)) };
}

/** The median time of a job, and that of the JSON parsed in it, in milliseconds. */
async function timed({ ours }: Job, db: Database): Promise<{ readonly total: number; readonly parsing: number }> {
  const { parse } = JSON;
  const found: { total: number; parsing: number }[] = [];
  let parsing = 0;
  JSON.parse = (text, reviver) => {
    const started = performance.now();
    const value: unknown = parse(text, reviver);
    parsing += performance.now() - started;
    return value;
  };
  try {
    for (const end = performance.now() + 500; performance.now() < end || found.length < 5; ) {
      parsing = 0;
      const started = performance.now();
      await ours(db);
      found.push({ total: performance.now() - started, parsing });
    }
  } finally {
    JSON.parse = parse;
  }
  return found.sort((a, b) => a.total - b.total)[found.length >> 1] as { total: number; parsing: number };
}

/** The same where no value is decoded. The jobs have no column whose values a codec makes, nor instants. */
async function undecoded(job: Job, driver: Driver, answers: readonly Answer[]) {
  const db = database(replaying(driver, answers, true));
  const { dialect } = connectionOf(db, "bench");
  const { decoder, fromJson } = dialect.wire;
  const none = () => undefined;
  Object.assign(dialect.wire, { decoder: none, fromJson: none });
  try {
    return await timed(job, db);
  } finally {
    Object.assign(dialect.wire, { decoder, fromJson });
  }
}

/**
 * Where the time of a job goes: it is run on the engine, again on what the engine answered, and on that without
 * decoding; the differences tell.
 * @param milliseconds its time on the engine.
 */
export async function sharesOf(job: Job, driver: Driver, milliseconds: number): Promise<Shares | undefined> {
  const answers: Answer[] = [];
  await job.ours(database(recording(driver, answers)));
  const all = await timed(job, database(replaying(driver, answers, false)));
  const plain = await undecoded(job, driver, answers);
  const assembling = plain.total - plain.parsing;
  const part = (time: number) => Math.round((100 * Math.max(0, time)) / milliseconds);
  // What is only a part cannot take longer than the whole: something else was going on meanwhile.
  if (all.total > milliseconds * 1.1 || assembling > all.total * 1.1) return undefined;
  return {
    database: part(milliseconds - all.total),
    decoding: part(all.total - assembling),
    assembling: part(Math.min(assembling, all.total)),
  };
}
