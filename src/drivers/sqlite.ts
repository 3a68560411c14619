import { GemachError } from "../errors/index.js";
import type { Driver, Request, WireRows } from "../run/index.js";
import { addFunctions, type ExtensibleHandle } from "./sqlite-functions.js";
/** What is used of a prepared statement, of `better-sqlite3` or `node:sqlite`. */
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

/** Primary and extended result codes (sqlite.org/rescode.html) by number, as node:sqlite gives them. */
const codeNames: Readonly<Record<number, string>> = {
  5: "SQLITE_BUSY",
  6: "SQLITE_LOCKED",
  8: "SQLITE_READONLY",
  9: "SQLITE_INTERRUPT",
  10: "SQLITE_IOERR",
  11: "SQLITE_CORRUPT",
  14: "SQLITE_CANTOPEN",
  26: "SQLITE_NOTADB",
  275: "SQLITE_CONSTRAINT_CHECK",
  787: "SQLITE_CONSTRAINT_FOREIGNKEY",
  1299: "SQLITE_CONSTRAINT_NOTNULL",
  1555: "SQLITE_CONSTRAINT_PRIMARYKEY",
  2067: "SQLITE_CONSTRAINT_UNIQUE",
};

const engine = "SQLite";

/** The result code's name: better-sqlite3 gives it, node:sqlite gives its number. */
function codeOf(error: { code?: unknown; errcode?: unknown }): string {
  if (typeof error.errcode === "number")
    return codeNames[error.errcode] ?? codeNames[error.errcode & 0xff] ?? "SQLITE_ERROR";
  return typeof error.code === "string" ? error.code : "";
}

/** "UNIQUE constraint failed: member.name, member.town" names table and columns. */
function constraintNames(message: string): { table?: string; column?: string } {
  const places = /constraint failed: (.+)$/.exec(message)?.[1]?.split(", ") ?? [];
  const table = places[0]?.includes(".") ? places[0].split(".")[0] : undefined;
  if (table === undefined) return {};
  return { table, column: places.map((place) => place.slice(place.indexOf(".") + 1)).join(", ") };
}

/** What an engine's error is in this library's terms. */
function translated(error: unknown, statement: string, file: string | undefined): unknown {
  if (!(error instanceof Error)) return error;
  const serverCode = codeOf(error as { code?: unknown; errcode?: unknown });
  const details = { cause: error, serverCode };
  const { message } = error;
  if (serverCode === "ERR_OUT_OF_RANGE") return new GemachError("VALUE_LOSSY", { kind: "integer" }, details);
  if (!serverCode.startsWith("SQLITE_")) return error;
  const table = /no such table: (?:main\.)?(.+)$/.exec(message)?.[1];
  if (table !== undefined) return new GemachError("TABLE_MISSING", { table, engine }, details);
  const column = /no such column: (.+)$/.exec(message)?.[1] ?? /has no column named (.+)$/.exec(message)?.[1];
  if (column !== undefined) return new GemachError("COLUMN_MISSING", { column, engine }, details);
  const names = constraintNames(message);
  switch (serverCode) {
    case "SQLITE_CONSTRAINT_UNIQUE":
    case "SQLITE_CONSTRAINT_PRIMARYKEY":
    case "SQLITE_CONSTRAINT_ROWID":
      return new GemachError("UNIQUE_VIOLATED", names, details);
    case "SQLITE_CONSTRAINT_FOREIGNKEY":
      return new GemachError("FOREIGN_KEY_VIOLATED", names, details);
    case "SQLITE_CONSTRAINT_NOTNULL":
      return new GemachError("NOT_NULL_VIOLATED", names, details);
    case "SQLITE_CONSTRAINT_CHECK":
      return new GemachError("CHECK_VIOLATED", { constraint: /failed: (.+)$/.exec(message)?.[1] }, details);
    case "SQLITE_INTERRUPT":
      return new GemachError("CANCELLED", { engine }, details);
    default:
  }
  if (/^SQLITE_(BUSY|LOCKED)/.test(serverCode)) return new GemachError("BUSY", { engine }, details);
  if (/^SQLITE_(NOTADB|CORRUPT|CANTOPEN|READONLY|IOERR)/.test(serverCode))
    return new GemachError("FILE_UNUSABLE", { file, reason: message }, details);
  return new GemachError("STATEMENT_REFUSED", { engine, reason: message, statement }, details);
}

/** How many prepared statements a handle keeps; the texts of a program are far fewer, unless it makes them up as it goes. */
const mostStatements = 500;

/** How many rows a statement wrote, as the one row of its answer. */
const written = (result: unknown): WireRows => [[(result as { readonly changes: number | bigint }).changes]];

type Prepared = (request: Request) => WireRows;

function prepare(handle: SqliteHandle, text: string): Prepared {
  const statement = handle.prepare(text);
  if (statement.reader === false) {
    return ({ parameters, counts }) => {
      const result = statement.run(...parameters);
      return counts === true ? written(result) : [];
    };
  }
  if (statement.setReturnArrays !== undefined) statement.setReturnArrays(true);
  else if (statement.raw !== undefined) statement.raw(true);
  else
    throw new GemachError("PACKAGE_MISSING", {
      package: "node:sqlite of Node 22.16 or later, or better-sqlite3",
      purpose: "Reading rows as arrays",
    });
  // node:sqlite does not say beforehand whether a statement gives rows.
  return ({ parameters, counts }) =>
    counts === true ? written(statement.run(...parameters)) : (statement.all(...parameters) as WireRows);
}

/**
 * The driver for SQLite, over a handle that the caller opened and will close. Turns foreign keys on,
 * and the write-ahead log where the database is a file that may be written.
 * @throws GemachError `FILE_UNUSABLE` where the file is no SQLite database.
 */
export function sqlite(handle: SqliteHandle): Driver {
  const statements = new Map<string, Prepared>();
  const guarded = <R>(text: string, work: () => R): R => {
    try {
      return work();
    } catch (error) {
      throw translated(error, text, handle.name);
    }
  };
  const whole = (request: Request, text: string): WireRows => {
    try {
      return JSON.parse(send(request)[0]?.[0] as string) as WireRows;
    } catch (error) {
      // Beyond a billion bytes in SQLite, or half as many characters in V8, there is no such text.
      const isTooLong = error instanceof RangeError || /TOOBIG|ERR_STRING_TOO_LONG/.test(codeOf(error as object));
      if (isTooLong) return send({ ...request, text });
      throw error;
    }
  };
  const run = (request: Request): WireRows =>
    guarded(request.text, () => (request.unpacked === undefined ? send(request) : whole(request, request.unpacked)));
  const send = (request: Request): WireRows => {
    let prepared = statements.get(request.text);
    if (prepared === undefined) {
      if (statements.size >= mostStatements) statements.clear();
      prepared = prepare(handle, request.text);
      statements.set(request.text, prepared);
    }
    return prepared(request);
  };
  const control = (text: string) => run({ text, parameters: [] });

  addFunctions(handle);
  guarded("pragma foreign_keys = on", () => handle.exec("pragma foreign_keys = on"));
  if (handle.readonly !== true) guarded("pragma journal_mode = wal", () => handle.exec("pragma journal_mode = wal"));

  return {
    dialect: "sqlite",
    answersAtOnce: true,
    run,
    together: (work) => {
      if (handle.inTransaction === true || handle.isTransaction === true) return work(run);
      control("begin");
      let result: ReturnType<typeof work>;
      try {
        result = work(run);
      } catch (error) {
        control("rollback");
        throw error;
      }
      control("commit");
      return result;
    },
  };
}
