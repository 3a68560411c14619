import { GemachError } from "../../../errors/index.js";
import { tellingOf } from "../told-fault.js";

const engine = "MariaDB";

/** What the server and the socket say of an error. */
interface MariadbFault extends Error {
  readonly code?: string;
  readonly errno?: number;
  readonly sqlMessage?: string;
  readonly address?: string;
  readonly port?: number;
}

const detailsOf = (error: MariadbFault) => ({
  cause: error,
  serverCode: error.errno === undefined ? error.code : String(error.errno),
});

const quoted = (message: string, at = 0): string | undefined => [...message.matchAll(/[`']([^`']+)[`']/g)][at]?.[1];

/** "Cannot add or update a child row: … (`db`.`loan`, CONSTRAINT `loan_ibfk_1` …" names both. */
const keyNames = ({ message }: MariadbFault) => {
  const columns = /FOREIGN KEY \(((?:`(?:[^`]|``)+`(?:, )?)+)\)/.exec(message)?.[1]?.match(/`(?:[^`]|``)+`/g);
  return {
    table: /`[^`]+`\.`([^`]+)`/.exec(message)?.[1],
    constraint: /CONSTRAINT `([^`]+)`/.exec(message)?.[1],
    ...(columns ? { columns: columns.map((name) => name.slice(1, -1).replaceAll("``", "`")) } : {}),
  };
};

const unique = (e: MariadbFault) => {
  const constraint = /for key '([^']+)'$/.exec(e.message)?.[1];
  return new GemachError("UNIQUE_VIOLATED", { constraint }, detailsOf(e));
};
const foreignKey = (e: MariadbFault) => new GemachError("FOREIGN_KEY_VIOLATED", keyNames(e), detailsOf(e));
const notNull = (e: MariadbFault) => new GemachError("NOT_NULL_VIOLATED", { column: quoted(e.message) }, detailsOf(e));
const denied = (e: MariadbFault) => new GemachError("CONNECTION_DENIED", { engine }, detailsOf(e));
const busy = (e: MariadbFault) => new GemachError("BUSY", { engine }, detailsOf(e));
const cancelled = (e: MariadbFault) => new GemachError("CANCELLED", { engine }, detailsOf(e));
const lost = (e: MariadbFault) => new GemachError("CONNECTION_LOST", { engine }, detailsOf(e));
const unlike = (e: MariadbFault) =>
  new GemachError("TEXTS_UNLIKE", { engine, reason: e.sqlMessage ?? e.message }, detailsOf(e));
/** Errors that are about a value: wrong, cut short, out of range (MariaDB 10.11, error codes). */
const ofData: ReadonlySet<number> = new Set([1264, 1265, 1292, 1366, 1367, 1406, 1411, 1416, 1525, 1690]);

/** In the server's words, without the values that errors of data quote: somebody's secrets. */
const reasonOf = ({ errno = 0, sqlMessage = "" }: MariadbFault): string =>
  ofData.has(errno) ? sqlMessage.replace(/'.*'/gs, "'…'") : sqlMessage;
const saying = tellingOf(engine, reasonOf, detailsOf);
const refused = (e: MariadbFault) =>
  new GemachError("CONNECTION_REFUSED", { engine, host: e.address, port: e.port }, detailsOf(e));

/** Error numbers (MariaDB 10.11, error codes) and socket errors in this library's terms. */
const faults: Readonly<Record<string, (error: MariadbFault) => GemachError>> = {
  1021: (e) => new GemachError("STORAGE_FULL", { engine }, detailsOf(e)),
  1114: (e) => new GemachError("STORAGE_FULL", { engine }, detailsOf(e)),
  1020: (e) => new GemachError("SERIALIZATION_FAILED", { engine }, detailsOf(e)),
  1044: denied,
  1045: denied,
  1048: notNull,
  1049: (e) => new GemachError("CONNECTION_DENIED", { engine, database: quoted(e.message) }, detailsOf(e)),
  1054: (e) => new GemachError("COLUMN_MISSING", { column: quoted(e.message), engine }, detailsOf(e)),
  1062: unique,
  1146: (e) =>
    new GemachError("TABLE_MISSING", { table: quoted(e.message)?.replace(/^.*\./, ""), engine }, detailsOf(e)),
  1205: busy,
  1242: (e) => new GemachError("VALUE_SEVERAL", { engine }, detailsOf(e)),
  1213: (e) => new GemachError("DEADLOCK", { engine }, detailsOf(e)),
  1216: foreignKey,
  1217: foreignKey,
  1267: unlike,
  1270: unlike,
  1271: unlike,
  1317: cancelled,
  1364: notNull,
  1451: foreignKey,
  1452: foreignKey,
  1040: saying("SERVER_UNREADY"),
  1203: saying("SERVER_UNREADY"),
  1226: saying("SERVER_UNREADY"),
  1142: saying("PERMISSION_DENIED"),
  1143: saying("PERMISSION_DENIED"),
  1227: saying("PERMISSION_DENIED"),
  1370: saying("PERMISSION_DENIED"),
  1264: saying("VALUE_BEYOND_COLUMN"),
  1265: saying("VALUE_BEYOND_COLUMN"),
  1366: saying("VALUE_BEYOND_COLUMN"),
  1406: saying("VALUE_BEYOND_COLUMN"),
  1690: saying("VALUE_BEYOND_COLUMN"),
  1288: saying("WRITE_BARRED"),
  1471: saying("WRITE_BARRED"),
  1906: saying("WRITE_BARRED"),
  1644: saying("TRIGGER_REFUSED"),
  1290: saying("SERVER_READ_ONLY"),
  1792: saying("SERVER_READ_ONLY"),
  1836: saying("SERVER_READ_ONLY"),
  1927: lost,
  1969: cancelled,
  1461: (e) => new GemachError("STATEMENTS_EXHAUSTED", { engine }, detailsOf(e)),
  4025: (e) => new GemachError("CHECK_VIOLATED", { constraint: quoted(e.message) }, detailsOf(e)),
  ECONNREFUSED: refused,
  ENOTFOUND: refused,
  EHOSTUNREACH: refused,
  ETIMEDOUT: refused,
  ENOENT: refused,
  ECONNRESET: lost,
  EPIPE: lost,
  PROTOCOL_CONNECTION_LOST: lost,
};

/** What an error of MariaDB, or of the socket to it, is in this library's terms. */
export function mariadbFault(error: unknown, statement: string): unknown {
  if (!(error instanceof Error)) return error;
  const fault = error as MariadbFault;
  const known = faults[fault.errno ?? ""] ?? faults[fault.code ?? ""];
  if (known !== undefined) return known(fault);
  if (/^Pool is closed/.test(fault.message)) return new GemachError("CONNECTION_CLOSED", { engine }, detailsOf(fault));
  if (/^Queue limit reached/.test(fault.message))
    return new GemachError("POOL_EXHAUSTED", { engine }, detailsOf(fault));
  if (/closed state/.test(fault.message)) return lost(fault);
  if (fault.sqlMessage === undefined) return error;
  return new GemachError("STATEMENT_REFUSED", { engine, reason: reasonOf(fault), statement }, detailsOf(fault));
}
