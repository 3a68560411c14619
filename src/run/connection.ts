import { type Dialect, dialectOf, type Wire } from "../sql/index.js";
import type { CallSite } from "./call-site.js";
import type { Driver, Request, Run, WireRows } from "./driver.js";
import type { Steps } from "./steps.js";
/** One statement that was sent. */
export interface SentStatement {
  readonly text: string;
  /** Where all rows came as one JSON value: the select inside of it. */
  readonly select?: string;
  /** The values as they went over the wire. */
  readonly parameters: readonly Wire[];
  /** The number of rows that came back. */
  readonly rows: number;
  /** From sending to the last row, in milliseconds. */
  readonly milliseconds: number;
  /** The line of code that asked for it, where the platform tells. */
  readonly at: CallSite | undefined;
  /** Whether it ended in an error. */
  readonly failed: boolean;
}

/** Is told of every statement right after it was sent. */
export type Observer = (statement: SentStatement) => void;

/** A driver, watched. */
export interface Connection {
  readonly dialect: Dialect;
  /** Milliseconds since any moment. */
  readonly clock: () => number;
  readonly isObserved: () => boolean;
  /** Has the observer told of every statement from now on; gives the function that ends it. */
  observe(observer: Observer): () => void;
  /** Sends one statement that nobody watches. */
  send(request: Request): WireRows | Promise<WireRows>;
  /** Runs steps to their end. */
  run<R>(steps: () => Steps<R>, options: RunOptions): R | Promise<R>;
}

/** How steps are run. */
export interface RunOptions {
  readonly at: CallSite | undefined;
  /**
   * Whether they are to be one transaction: "always", "snapshot" to see one state of the data, or "free", only where
   * that costs nothing because the driver answers at once.
   */
  readonly together: "always" | "snapshot" | "free" | "no";
}

/** Watches a driver. `clock` gives milliseconds. */
export function connect(driver: Driver, clock: () => number): Connection {
  const observers = new Set<Observer>();

  const tell = (request: Request, at: CallSite | undefined, started: number, rows: WireRows | undefined): void => {
    const statement: SentStatement = {
      text: request.text,
      ...(request.unpacked === undefined ? {} : { select: request.unpacked }),
      parameters: request.parameters,
      rows: rows?.length ?? 0,
      milliseconds: clock() - started,
      at,
      failed: rows === undefined,
    };
    for (const observer of observers) observer(statement);
  };

  const send = (run: Run, request: Request, at: CallSite | undefined): WireRows | Promise<WireRows> => {
    if (observers.size === 0) return run(request);
    const started = clock();
    let answer: WireRows | Promise<WireRows>;
    try {
      answer = run(request);
    } catch (error) {
      tell(request, at, started, undefined);
      throw error;
    }
    if (!(answer instanceof Promise)) {
      tell(request, at, started, answer);
      return answer;
    }
    return answer.then(
      (rows) => {
        tell(request, at, started, rows);
        return rows;
      },
      (error: unknown) => {
        tell(request, at, started, undefined);
        throw error;
      },
    );
  };

  const goOn = async <R>(run: Run, steps: Steps<R>, first: Promise<WireRows>, at: CallSite | undefined): Promise<R> => {
    let answer: WireRows | Promise<WireRows> = first;
    for (;;) {
      const step: IteratorResult<Request, R> = steps.next(await answer);
      if (step.done === true) return step.value;
      answer = send(run, step.value, at);
    }
  };

  const walk = <R>(run: Run, steps: Steps<R>, at: CallSite | undefined): R | Promise<R> => {
    let step = steps.next();
    while (step.done !== true) {
      const answer = send(run, step.value, at);
      if (answer instanceof Promise) return goOn(run, steps, answer, at);
      step = steps.next(answer);
    }
    return step.value;
  };

  return {
    dialect: dialectOf(driver.dialect, driver.variant),
    clock,
    isObserved: () => observers.size > 0,
    observe: (observer) => {
      observers.add(observer);
      return () => observers.delete(observer);
    },
    send: driver.run,
    run: (steps, { at, together }) =>
      together === "always" || together === "snapshot" || (together === "free" && driver.answersAtOnce)
        ? driver.together((run) => walk(run, steps(), at), together === "snapshot")
        : walk(driver.run, steps(), at),
  };
}
