import type { QueryState } from "../../ir/index.js";
import type { Wire } from "../../sql/index.js";
import type { MaybePromise, Request, Send, WireRows } from "../sessions/driver.js";
import type { CallSite } from "./call-site.js";
import { masked } from "./masked.js";
import type { Origin, VerbOrigin } from "./origin.js";

/** A statement that is on its way. */
export interface BegunStatement {
  readonly text: string;
  /** Where all rows come as one JSON value: the select inside of it. */
  readonly select?: string;
  /** The values as they go over the wire. */
  readonly parameters: readonly Wire[];
  /** Its purpose, and the call that it is part of. */
  readonly origin: Origin;
  /** When it was asked for, by the clock of the database. */
  readonly started: number;
  /** Its place among those of its call that were on their way at once. */
  readonly branch?: readonly number[];
}

/** One statement that was sent. */
export interface SentStatement extends BegunStatement {
  /** The number of rows that came back. */
  readonly rows: number;
  /** From sending to the last row, in milliseconds. */
  readonly milliseconds: number;
  /** How much of that it waited for a connection. */
  readonly waiting: number;
  /** Whether it ended in an error. */
  readonly failed: boolean;
}

/** A verb that is done. */
export interface DoneCall {
  readonly origin: VerbOrigin;
  /** When it was called, by the clock of the database. */
  readonly started: number;
  /** From its call to its result, in milliseconds. */
  readonly milliseconds: number;
}

/** A transaction that is done. */
export interface DoneTransaction {
  /** The number that its statements have. */
  readonly transaction: number;
  /** From its begin to its end, in milliseconds. */
  readonly milliseconds: number;
  /** The line of code that asked for it, where the platform tells. */
  readonly at: CallSite | undefined;
}

/**
 * Is called for every statement, right before it is sent and right after its answer came, and for what else is done.
 */
export interface Observer {
  begins?(statement: BegunStatement): void;
  /** `wires`: its rows as they came; undefined where it failed. */
  ends?(statement: SentStatement, wires: WireRows | undefined): void;
  /** So many objects were made of the rows of a statement, so many of them those that the others belong to. */
  made?(statement: SentStatement, objects: number, owners: number): void;
  called?(call: DoneCall): void;
  /**
   * A connection was waited for, before anything was sent on it: for a verb of several statements, or a transaction.
   */
  waited?(milliseconds: number, call: VerbOrigin | undefined): void;
  closes?(transaction: DoneTransaction): void;
  /** Looks at the rows of a query, which the caller gets next. */
  gives?(rows: readonly unknown[], state: QueryState, origin: VerbOrigin): void;
}

/** Tells observers of statements. */
export interface Watch {
  readonly isWatched: () => boolean;
  readonly clock: () => number;
  /** Has an observer called from now on; gives the function that ends it. */
  add(observer: Observer): () => void;
  /** Tells every observer of something. */
  tell(what: (observer: Observer) => void): void;
  /** Sends a statement, and tells of it where somebody watches. */
  send(send: Send, request: Request, verb: VerbOrigin): MaybePromise<WireRows>;
}

/** Watches statements; `clock` gives milliseconds since any moment. */
export function watch(clock: () => number): Watch {
  const observers = new Set<Observer>();
  return {
    isWatched: () => observers.size > 0,
    clock,
    tell: (what) => {
      for (const observer of observers) what(observer);
    },
    add: (observer) => {
      observers.add(observer);
      return () => observers.delete(observer);
    },
    send: (send, request, verb) => {
      if (observers.size === 0) return send(request);
      const origin = { ...request.origin, ...verb };
      const { text, unpacked } = request;
      const parameters = masked(request.parameters, request.origin, text);
      const begun: BegunStatement = {
        ...{ text, parameters, origin, started: clock() },
        ...(unpacked === undefined ? {} : { select: unpacked }),
        ...(request.branch === undefined ? {} : { branch: request.branch }),
      };
      for (const observer of observers) observer.begins?.(begun);
      let waiting = 0;
      let sent: SentStatement | undefined;
      request.watcher = {
        connected: () => {
          waiting = clock() - begun.started;
        },
        made: (objects, owners) => {
          for (const observer of observers) if (sent !== undefined) observer.made?.(sent, objects, owners);
        },
      };
      const end = (rows: WireRows | undefined): void => {
        const milliseconds = clock() - begun.started;
        sent = { ...begun, rows: rows?.length ?? 0, milliseconds, waiting, failed: rows === undefined };
        for (const observer of observers) observer.ends?.(sent, rows);
      };
      const failed = (error: unknown): never => {
        end(undefined);
        throw error;
      };
      const answered = (rows: WireRows): WireRows => {
        end(rows);
        return rows;
      };
      let answer: MaybePromise<WireRows>;
      try {
        answer = send(request);
      } catch (error) {
        return failed(error);
      }
      return answer instanceof Promise ? answer.then(answered, failed) : answered(answer);
    },
  };
}
