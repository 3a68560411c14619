import type { Dialect, StatementOrigin, Wire } from "../../sql/index.js";
import type { Stop } from "./stop.js";

/** Rows as they came over the wire, each an array in the order of the select's items. */
export type WireRows = readonly (readonly Wire[])[];

/** One statement with what belongs to its placeholders. */
export interface Request {
  readonly text: string;
  readonly parameters: readonly Wire[];
  /** Its purpose. */
  readonly origin: StatementOrigin;
  /** Whether it is unlikely to be sent again, so that preparing it would be in vain. */
  readonly once?: boolean;
  /**
   * Whether it gives no rows of its own, and is to be answered by one row with the number of those that it wrote.
   */
  readonly counts?: boolean;
  /**
   * Its one row has all rows as one JSON value, to be answered as rows; where that is too long, this text gives them.
   */
  readonly unpacked?: string | undefined;
  /** Ends it before its own end, on the server too where the engine can. */
  readonly stop?: Stop;
  /**
   * Its place among those that are on their way at once: of each branch that it is in the number, the outermost first.
   */
  branch?: readonly number[];
  /** Who is told how it goes on, where somebody watches. */
  watcher?: RequestWatcher;
}

/** Is told how a request goes on. */
export interface RequestWatcher {
  /** It has a connection, and goes to the database now. */
  connected(): void;
  /** So many objects were made of its rows, so many of them those that the others belong to. */
  made(objects: number, owners: number): void;
}

/** A value that may come at once or later. */
export type MaybePromise<T> = T | Promise<T>;

/** Makes a value of an answer, at once where the answer is there. */
export const andThen = <T, R>(answer: MaybePromise<T>, make: (answer: T) => MaybePromise<R>): MaybePromise<R> =>
  answer instanceof Promise ? answer.then(make) : make(answer);

/** Sends one statement. Who has the answer at once gives it at once. */
export type Send = (request: Request) => MaybePromise<WireRows>;

/** Isolation levels of the SQL standard. */
export type Isolation = "read uncommitted" | "read committed" | "repeatable read" | "serializable";

/** The settings of a transaction; the engine's own level where none is said. */
export interface TransactionSettings {
  readonly isolation?: Isolation;
  readonly readOnly?: boolean;
}

/** Statements that see one state of the data, and write nothing. */
export const snapshot: TransactionSettings = { isolation: "repeatable read", readOnly: true };

/**
 * A connection that one piece of work has to itself, from `open` of a driver to `close`. Errors come out of it as
 * GemachError. Inside of a transaction that the caller opened on his own handle, `begin`, `commit` and `rollback` are
 * those of a savepoint.
 */
export interface Session {
  readonly send: Send;
  begin(settings: TransactionSettings): MaybePromise<unknown>;
  commit(): MaybePromise<unknown>;
  rollback(): MaybePromise<unknown>;
  /** A savepoint inside of the transaction, by a name of letters, digits and underscores. */
  savepoint(name: string): MaybePromise<unknown>;
  /** Forgets a savepoint, and keeps what was done since. */
  release(name: string): MaybePromise<unknown>;
  /** Undoes what was done since a savepoint, and forgets it. */
  rollbackTo(name: string): MaybePromise<unknown>;
  /** Gives the connection back; a broken one is not used again. */
  close(isBroken: boolean): void;
}

/**
 * Everything that the library asks of an engine. The only part that knows a driver package; errors come out of it as
 * GemachError. An engine with one handle lets sessions and single statements wait for each other.
 */
export interface Driver {
  readonly dialect: Dialect;
  /** Whether answers come at once rather than as promises, as long as no other session is open. */
  readonly answersAtOnce: boolean;
  /** The handle or pool, where it takes one piece of work at a time: others wait for a session that is open. */
  readonly exclusive?: object | undefined;
  /** Sends one statement by itself. */
  readonly send: Send;
  /** Opens a session, as soon as there is a connection for it. */
  open(stop?: Stop): MaybePromise<Session>;
}
