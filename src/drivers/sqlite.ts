import { GemachError } from "../errors/index.js";
import type { Driver, Request, Session, TransactionSettings, WireRows } from "../run/index.js";
import { sqliteDialect, type Wire } from "../sql/index.js";
import { expectHandle, nestedName, nestedTransaction, ownTransaction, savepoints, sendText } from "./controls.js";
import { endWatch } from "./ended.js";
import { addFunctions, type ExtensibleHandle } from "./sqlite-functions.js";
import { turnsOf } from "./turns.js";

export { sqliteDialect } from "../sql/index.js";

/** The part of a prepared statement that is used, of `better-sqlite3` or `node:sqlite`. */
export interface SqliteStatement {
  // biome-ignore lint/suspicious/noExplicitAny: each package narrows what it takes in its own way
  all(...parameters: any[]): unknown[];
  // biome-ignore lint/suspicious/noExplicitAny: each package narrows what it takes in its own way
  run(...parameters: any[]): unknown;
  /** better-sqlite3: rows as arrays. */
  raw?(on?: boolean): unknown;
  /** better-sqlite3: whether it gives rows. */
  readonly reader?: boolean;
  /** node:sqlite: rows as arrays; of Node 22.16 and later. */
  setReturnArrays?(on: boolean): void;
}

/** A database handle of `better-sqlite3` (`new Database(file)`) or of `node:sqlite` (`new DatabaseSync(file)`). */
export interface SqliteHandle extends ExtensibleHandle {
  prepare(sql: string): SqliteStatement;
  exec(sql: string): unknown;
  /** better-sqlite3: the file. */
  readonly name?: string;
  /** better-sqlite3: whether it may only be read. */
  readonly readonly?: boolean;
  /** better-sqlite3: whether a transaction is open. */
  readonly inTransaction?: boolean;
  /** node:sqlite: whether a transaction is open. */
  readonly isTransaction?: boolean;
}

/**
 * How many prepared statements a handle keeps; the texts of a program are far fewer, unless it makes them up as it
 * goes.
 */
const mostStatements = 500;

/** Returns the number of rows that a statement wrote, as the one row of its answer. */
const written = (result: unknown): WireRows => [[(result as { readonly changes: number | bigint }).changes]];

type Prepared = (request: Request) => WireRows;

/**
 * node:sqlite (Node 22) binds null for bytes of no length once code has looked at their buffer, which has no memory
 * then: these are bound in their place.
 */
const noBytes = new Uint8Array(1).subarray(0, 0);
const bindable = (value: Wire): Wire => (value instanceof Uint8Array && value.length === 0 ? noBytes : value);

function prepare(handle: SqliteHandle, text: string): Prepared {
  const statement = handle.prepare(text);
  if (statement.reader === false) {
    return ({ parameters, counts }) => {
      const result = statement.run(...parameters);
      return counts === true ? written(result) : [];
    };
  }
  const isOfNode = statement.setReturnArrays !== undefined;
  if (isOfNode) statement.setReturnArrays?.(true);
  else if (statement.raw !== undefined) statement.raw(true);
  else
    throw new GemachError("PACKAGE_MISSING", {
      package: "node:sqlite of Node 22.16 or later, or better-sqlite3",
      purpose: "Reading rows as arrays",
    });
  // node:sqlite does not say beforehand whether a statement gives rows.
  return ({ parameters, counts }) => {
    const bound = isOfNode ? parameters.map(bindable) : parameters;
    return counts === true ? written(statement.run(...bound)) : (statement.all(...bound) as WireRows);
  };
}

/**
 * What a transaction is begun with. One that writes has the file to itself from its beginning, so that it cannot fail
 * half-way.
 */
function beginText({ isolation, readOnly = false }: TransactionSettings): string {
  if (isolation === "read uncommitted" || isolation === "read committed")
    throw new GemachError("ENGINE_UNABLE", {
      engine: "SQLite",
      what: `give a transaction the isolation level '${isolation}'`,
      instead: "Leave the level out: every transaction of SQLite is serializable.",
    });
  return readOnly ? "begin" : "begin immediate";
}

/**
 * The driver for SQLite, over a handle that the caller opened and will close. Turns foreign keys on,
 * and the write-ahead log where the database is a file that may be written. Sessions on one handle wait for each other,
 * and so do single statements for a session that is open.
 * @throws GemachError `FILE_UNUSABLE` where the file is no SQLite database.
 */
export function sqlite(handle: SqliteHandle): Driver {
  expectHandle("sqlite()", handle, ["prepare", "exec"], "a handle of better-sqlite3 or node:sqlite");
  const statements = new Map<string, Prepared>();
  const turns = turnsOf(handle);
  const guarded = <R>(text: string, work: () => R): R => {
    try {
      return work();
    } catch (error) {
      throw sqliteDialect.fault(error, text, handle.name);
    }
  };
  const prepared = (request: Request): WireRows => {
    let known = statements.get(request.text);
    if (known === undefined) {
      if (statements.size >= mostStatements) statements.clear();
      known = prepare(handle, request.text);
      statements.set(request.text, known);
    }
    return known(request);
  };
  const whole = (request: Request, text: string): WireRows => {
    try {
      return JSON.parse(prepared(request)[0]?.[0] as string) as WireRows;
    } catch (error) {
      // Beyond a billion bytes in SQLite, or half as many characters in V8, there is no such text; nor has JSON bytes,
      // which a column of any type may hold.
      const { code = "", message = "" } = error as { code?: unknown; message?: unknown };
      const isUnable = /TOOBIG|ERR_STRING_TOO_LONG/.test(String(code)) || /BLOB/.test(String(message));
      if (error instanceof RangeError || isUnable) return prepared({ ...request, text });
      throw error;
    }
  };
  const now = (request: Request): WireRows =>
    guarded(request.text, () =>
      request.unpacked === undefined ? prepared(request) : whole(request, request.unpacked),
    );

  const isInTransaction = (): boolean => handle.inTransaction === true || handle.isTransaction === true;
  const session = (leave: () => void): Session => {
    const { begun, isOver, guard } = endWatch("SQLite", isInTransaction);
    const send = guard(now);
    let transaction = ownTransaction(send);
    return {
      send,
      begin: (settings) => {
        const isNested = isInTransaction();
        transaction = isNested ? nestedTransaction(send) : ownTransaction(send);
        const begins = isNested ? savepoints(send).savepoint(nestedName) : sendText(send, beginText(settings));
        begun();
        return begins;
      },
      commit: () => transaction.commit(),
      rollback: () => (isOver() === true ? undefined : transaction.rollback()),
      ...savepoints(send),
      close: leave,
    };
  };

  addFunctions(handle);
  guarded("pragma foreign_keys = on", () => handle.exec("pragma foreign_keys = on"));
  if (handle.readonly !== true) guarded("pragma journal_mode = wal", () => handle.exec("pragma journal_mode = wal"));

  return {
    dialect: sqliteDialect,
    exclusive: handle,
    answersAtOnce: true,
    send: (request) =>
      turns.single(() => {
        request.watcher?.connected();
        return now(request);
      }, request.stop),
    open: (stop) => {
      const entered = turns.enter(stop);
      return entered instanceof Promise ? entered.then(session) : session(entered);
    },
  };
}
