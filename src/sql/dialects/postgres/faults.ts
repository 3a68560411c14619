import { GemachError } from "../../../errors/index.js";
import { tellingOf } from "../told-fault.js";

const engine = "PostgreSQL";

/** What the server and the socket say of an error. */
interface PostgresFault extends Error {
  readonly code?: string;
  readonly table?: string;
  readonly column?: string;
  readonly constraint?: string;
  readonly detail?: string;
  readonly address?: string;
  readonly host?: string;
  readonly port?: number;
  readonly errors?: readonly PostgresFault[];
}

const quotedIn = (message: string): string | undefined => /"([^"]+)"/.exec(message)?.[1];

/** In the server's words, without the values that errors of data (SQLSTATE class 22) quote: somebody's secrets. */
const reasonOf = ({ code = "", message }: PostgresFault): string =>
  code.startsWith("22") ? message.replace(/".*"/gs, '"…"') : message;

const detailsOf = (error: PostgresFault) => ({ cause: error, serverCode: error.code });

const saying = tellingOf(engine, reasonOf, detailsOf);

/** SQLSTATE (PostgreSQL 15, appendix A) and socket errors in this library's terms. */
const faults: Readonly<Record<string, (error: PostgresFault, statement: string) => GemachError>> = {
  "23505": (e) => new GemachError("UNIQUE_VIOLATED", pick(e), detailsOf(e)),
  "23503": (e) => new GemachError("FOREIGN_KEY_VIOLATED", pick(e), detailsOf(e)),
  "23502": (e) => new GemachError("NOT_NULL_VIOLATED", pick(e), detailsOf(e)),
  "23514": (e) => new GemachError("CHECK_VIOLATED", pick(e), detailsOf(e)),
  "42P01": (e) => new GemachError("TABLE_MISSING", { table: quotedIn(e.message), engine }, detailsOf(e)),
  "42703": (e) =>
    new GemachError(
      "COLUMN_MISSING",
      { column: quotedIn(e.message) ?? /column (\S+)/.exec(e.message)?.[1], engine },
      detailsOf(e),
    ),
  "21000": (e) => new GemachError("VALUE_SEVERAL", { engine }, detailsOf(e)),
  "40P01": (e) => new GemachError("DEADLOCK", { engine }, detailsOf(e)),
  "40001": (e) => new GemachError("SERIALIZATION_FAILED", { engine }, detailsOf(e)),
  "55P03": (e) => new GemachError("BUSY", { engine }, detailsOf(e)),
  "57014": (e) => new GemachError("CANCELLED", { engine }, detailsOf(e)),
  "25P02": (e) => new GemachError("TRANSACTION_FAILED", { engine }, detailsOf(e)),
  "26000": outdated,
  "42P05": outdated,
  "42501": saying("PERMISSION_DENIED"),
  "22001": saying("VALUE_BEYOND_COLUMN"),
  "22003": saying("VALUE_BEYOND_COLUMN"),
  "428C9": saying("WRITE_BARRED"),
  P0001: saying("TRIGGER_REFUSED"),
  "25006": saying("SERVER_READ_ONLY"),
  "53300": saying("SERVER_UNREADY"),
  "57P03": saying("SERVER_UNREADY"),
  "53100": (e) => new GemachError("STORAGE_FULL", { engine }, detailsOf(e)),
  "57P01": (e) => new GemachError("CONNECTION_LOST", { engine }, detailsOf(e)),
  "28P01": (e) => new GemachError("CONNECTION_DENIED", { engine, user: quotedIn(e.message) }, detailsOf(e)),
  "28000": (e) => new GemachError("CONNECTION_DENIED", { engine, user: quotedIn(e.message) }, detailsOf(e)),
  "3D000": (e) => new GemachError("CONNECTION_DENIED", { engine, database: quotedIn(e.message) }, detailsOf(e)),
  ECONNREFUSED: refused,
  ENOTFOUND: refused,
  EHOSTUNREACH: refused,
  ETIMEDOUT: refused,
  ENOENT: refused,
  ECONNRESET: (e) => new GemachError("CONNECTION_LOST", { engine }, detailsOf(e)),
  EPIPE: (e) => new GemachError("CONNECTION_LOST", { engine }, detailsOf(e)),
};

/**
 * "Key (number, place)=(…) already exists." names columns; of a row that is still referred to they are those of the
 * other table.
 */
function columnsIn({ detail = "" }: PostgresFault): readonly string[] | undefined {
  const list = /still referenced/.test(detail)
    ? undefined
    : /^Key \(((?:"(?:[^"]|"")*"|[\w$]+)(?:, (?:"(?:[^"]|"")*"|[\w$]+))*)\)=/.exec(detail)?.[1];
  return list
    ?.match(/"(?:[^"]|"")*"|[\w$]+/g)
    ?.map((name) => (name.startsWith('"') ? name.slice(1, -1).replaceAll('""', '"') : name));
}

const pick = (error: PostgresFault) => {
  const { table, column, constraint } = error;
  const columns = columnsIn(error);
  return { table, column, constraint, ...(columns === undefined ? {} : { columns }) };
};

function outdated(error: PostgresFault): GemachError {
  return new GemachError("PREPARED_OUTDATED", { engine, reason: error.message }, detailsOf(error));
}

function refused(error: PostgresFault): GemachError {
  // A name with several addresses is tried at each; the first attempt tells host and port.
  const attempt = error.errors?.[0] ?? error;
  return new GemachError(
    "CONNECTION_REFUSED",
    { engine, host: attempt.address ?? attempt.host, port: attempt.port },
    detailsOf(error),
  );
}

/** What an error of PostgreSQL, on a server or in the process, is in this library's terms. */
export function postgresFault(error: unknown, statement: string): unknown {
  if (!(error instanceof Error)) return error;
  const fault = error as PostgresFault;
  const known = fault.code === undefined ? undefined : faults[fault.code];
  if (known !== undefined) return known(fault, statement);
  if (/calling end on the pool|Client was closed/.test(fault.message))
    return new GemachError("CONNECTION_CLOSED", { engine }, detailsOf(fault));
  if (/timeout exceeded when trying to connect/.test(fault.message))
    return new GemachError("POOL_EXHAUSTED", { engine }, detailsOf(fault));
  if (/Connection terminated|not queryable/.test(fault.message))
    return new GemachError("CONNECTION_LOST", { engine }, detailsOf(fault));
  if (fault.code === undefined || !/^[0-9A-Z]{5}$/.test(fault.code)) return error;
  if (fault.code === "0A000" && /cached plan/.test(fault.message)) return outdated(fault);
  if (fault.code === "55000" && /\bview\b/.test(fault.message)) return saying("WRITE_BARRED")(fault);
  return new GemachError("STATEMENT_REFUSED", { engine, reason: reasonOf(fault), statement }, detailsOf(fault));
}
