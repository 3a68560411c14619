import type { Wire } from "../sql/index.js";
import type { Request, Send, Soon, WireRows } from "./driver.js";
import type { Origin, VerbOrigin } from "./origin.js";

/** A statement that is on its way. */
export interface BegunStatement {
  readonly text: string;
  /** Where all rows come as one JSON value: the select inside of it. */
  readonly select?: string;
  /** The values as they go over the wire. */
  readonly parameters: readonly Wire[];
  /** What it is for, and who asked for it. */
  readonly origin: Origin;
}

/** One statement that was sent. */
export interface SentStatement extends BegunStatement {
  /** The number of rows that came back. */
  readonly rows: number;
  /** From sending to the last row, in milliseconds. */
  readonly milliseconds: number;
  /** Whether it ended in an error. */
  readonly failed: boolean;
}

/** Is called for every statement, right before it is sent and right after its answer came. */
export interface Observer {
  begins?(statement: BegunStatement): void;
  ends(statement: SentStatement): void;
}

/** Tells observers of statements. */
export interface Watch {
  readonly isWatched: () => boolean;
  /** Has an observer called from now on; gives the function that ends it. */
  add(observer: Observer): () => void;
  /** Sends a statement, and tells of it where somebody watches. */
  send(send: Send, request: Request, verb: VerbOrigin): Soon<WireRows>;
}

/** Watches statements; `clock` gives milliseconds since any moment. */
export function watch(clock: () => number): Watch {
  const observers = new Set<Observer>();
  return {
    isWatched: () => observers.size > 0,
    add: (observer) => {
      observers.add(observer);
      return () => observers.delete(observer);
    },
    send: (send, request, verb) => {
      if (observers.size === 0) return send(request);
      const begun: BegunStatement = {
        text: request.text,
        ...(request.unpacked === undefined ? {} : { select: request.unpacked }),
        parameters: request.parameters,
        origin: { ...request.origin, ...verb },
      };
      for (const observer of observers) observer.begins?.(begun);
      const started = clock();
      const end = (rows: WireRows | undefined): void => {
        const milliseconds = clock() - started;
        const sent = { ...begun, rows: rows?.length ?? 0, milliseconds, failed: rows === undefined };
        for (const observer of observers) observer.ends(sent);
      };
      const failed = (error: unknown): never => {
        end(undefined);
        throw error;
      };
      const answered = (rows: WireRows): WireRows => {
        end(rows);
        return rows;
      };
      let answer: Soon<WireRows>;
      try {
        answer = send(request);
      } catch (error) {
        return failed(error);
      }
      return answer instanceof Promise ? answer.then(answered, failed) : answered(answer);
    },
  };
}
