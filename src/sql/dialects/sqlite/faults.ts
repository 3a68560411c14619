import { GemachError } from "../../../errors/index.js";

/** Primary and extended result codes (sqlite.org/rescode.html) by number, as node:sqlite gives them. */
const codeNames: Readonly<Record<number, string>> = {
  5: "SQLITE_BUSY",
  6: "SQLITE_LOCKED",
  8: "SQLITE_READONLY",
  9: "SQLITE_INTERRUPT",
  10: "SQLITE_IOERR",
  11: "SQLITE_CORRUPT",
  13: "SQLITE_FULL",
  14: "SQLITE_CANTOPEN",
  20: "SQLITE_MISMATCH",
  26: "SQLITE_NOTADB",
  275: "SQLITE_CONSTRAINT_CHECK",
  787: "SQLITE_CONSTRAINT_FOREIGNKEY",
  1299: "SQLITE_CONSTRAINT_NOTNULL",
  1555: "SQLITE_CONSTRAINT_PRIMARYKEY",
  1811: "SQLITE_CONSTRAINT_TRIGGER",
  2067: "SQLITE_CONSTRAINT_UNIQUE",
  3091: "SQLITE_CONSTRAINT_DATATYPE",
};

const engine = "SQLite";

/** The result code's name: better-sqlite3 gives it, node:sqlite gives its number. */
export function codeOf(error: { code?: unknown; errcode?: unknown }): string {
  if (typeof error.errcode === "number")
    return codeNames[error.errcode] ?? codeNames[error.errcode & 0xff] ?? "SQLITE_ERROR";
  return typeof error.code === "string" ? error.code : "";
}

/** "UNIQUE constraint failed: member.name, member.town" names table and columns. */
function constraintNames(message: string): { table?: string; column?: string; columns?: readonly string[] } {
  const places = /constraint failed: (.+)$/.exec(message)?.[1]?.split(", ") ?? [];
  const table = places[0]?.includes(".") ? places[0].split(".")[0] : undefined;
  if (table === undefined) return {};
  const columns = places.map((place) => place.slice(place.indexOf(".") + 1));
  return { table, column: columns.join(", "), columns };
}

/** What an engine's error is in this library's terms. */
export function sqliteFault(error: unknown, statement: string, file?: string): unknown {
  if (!(error instanceof Error)) return error;
  const serverCode = codeOf(error as { code?: unknown; errcode?: unknown });
  const details = { cause: error, serverCode };
  const { message } = error;
  if (serverCode === "ERR_OUT_OF_RANGE") return new GemachError("VALUE_LOSSY", { kind: "integer" }, details);
  if (/(?:connection|database) is not open/.test(message))
    return new GemachError("CONNECTION_CLOSED", { engine }, details);
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
    case "SQLITE_FULL":
      return new GemachError("STORAGE_FULL", { engine }, details);
    case "SQLITE_CONSTRAINT_FOREIGNKEY":
      return new GemachError("FOREIGN_KEY_VIOLATED", names, details);
    case "SQLITE_CONSTRAINT_NOTNULL":
      return new GemachError("NOT_NULL_VIOLATED", names, details);
    case "SQLITE_CONSTRAINT_CHECK":
      return new GemachError("CHECK_VIOLATED", { constraint: /failed: (.+)$/.exec(message)?.[1] }, details);
    case "SQLITE_CONSTRAINT_TRIGGER":
      return new GemachError("TRIGGER_REFUSED", { engine, reason: message }, details);
    case "SQLITE_CONSTRAINT_DATATYPE":
    case "SQLITE_MISMATCH":
      return new GemachError("VALUE_BEYOND_COLUMN", { engine, reason: message }, details);
    case "SQLITE_INTERRUPT":
      return new GemachError("CANCELLED", { engine }, details);
    default:
  }
  if (/^SQLITE_(BUSY|LOCKED)/.test(serverCode)) return new GemachError("BUSY", { engine }, details);
  if (/^SQLITE_(NOTADB|CORRUPT|CANTOPEN|READONLY|IOERR)/.test(serverCode))
    return new GemachError("FILE_UNUSABLE", { file, reason: message }, details);
  if (/^cannot (modify .+ because it is a view|(INSERT into|UPDATE) generated column)/.test(message))
    return new GemachError("WRITE_BARRED", { engine, reason: message }, details);
  return new GemachError("STATEMENT_REFUSED", { engine, reason: message, statement }, details);
}
