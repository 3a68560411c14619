import { GemachError } from "../errors/index.js";
import type { Driver, Request, Run, WireRows } from "../run/index.js";
import type { Wire } from "../sql/index.js";
import { inTransaction } from "./in-transaction.js";
/** What is used of a statement's settings, as `mysql2` takes them. */
export interface MariadbStatement {
  readonly sql: string;
  // biome-ignore lint/suspicious/noExplicitAny: the package narrows what it takes
  readonly values: any[];
  readonly rowsAsArray: true;
  readonly dateStrings: true;
  readonly supportBigNumbers: true;
  readonly bigNumberStrings: false;
}

/** What takes statements: a pool, or one of its connections. */
export interface MariadbStatements {
  // biome-ignore lint/suspicious/noExplicitAny: a row or a header, as the statement has it
  execute(statement: MariadbStatement): Promise<[any, any]>;
}

/** A pool of `mysql2/promise` (`createPool({ uri })`). */
export interface MariadbPool extends MariadbStatements {
  getConnection(): Promise<MariadbStatements & { release(): void; destroy(): void }>;
  // biome-ignore lint/suspicious/noExplicitAny: the pool announces connections of its own class
  on(event: "connection", listener: (connection: any) => void): unknown;
}

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
const keyNames = ({ message }: MariadbFault) => ({
  table: /`[^`]+`\.`([^`]+)`/.exec(message)?.[1],
  constraint: /CONSTRAINT `([^`]+)`/.exec(message)?.[1],
});

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
const refused = (e: MariadbFault) =>
  new GemachError("CONNECTION_REFUSED", { engine, host: e.address, port: e.port }, detailsOf(e));

/** Error numbers (MariaDB 10.11, error codes) and socket errors in this library's terms. */
const faults: Readonly<Record<string, (error: MariadbFault) => GemachError>> = {
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
  1213: (e) => new GemachError("DEADLOCK", { engine }, detailsOf(e)),
  1216: foreignKey,
  1217: foreignKey,
  1317: cancelled,
  1364: notNull,
  1451: foreignKey,
  1452: foreignKey,
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

function mariadbError(error: unknown, statement: string): unknown {
  if (!(error instanceof Error)) return error;
  const fault = error as MariadbFault;
  const known = faults[fault.errno ?? ""] ?? faults[fault.code ?? ""];
  if (known !== undefined) return known(fault);
  if (fault.sqlMessage === undefined) return error;
  return new GemachError("STATEMENT_REFUSED", { engine, reason: fault.sqlMessage, statement }, detailsOf(fault));
}

/**
 * What a session must be like for one answer on every engine: strict, so that nothing is cut short
 * or rounded in silence; instants in UTC; a zero that is inserted stays a zero; what an update gives one
 * column does not change what it gives the next; nested rows of any length are whole.
 */
const sessionSettings =
  "set session sql_mode = concat(@@sql_mode, ',STRICT_ALL_TABLES,NO_AUTO_VALUE_ON_ZERO,SIMULTANEOUS_ASSIGNMENT'), time_zone = '+00:00', group_concat_max_len = 4294967295, names utf8mb4 collate utf8mb4_nopad_bin";

/** A transaction that sees the state in which the data was when it began, and keeps nobody waiting. */
const snapshot = [
  "set transaction isolation level repeatable read",
  "start transaction with consistent snapshot, read only",
] as const;

/**
 * The driver for MariaDB, over a pool that the caller made and will end. Hand it over before the pool
 * opens connections: each is set to strict mode, UTC and utf8mb4 when it is opened.
 */
export function mariadb(pool: MariadbPool): Driver {
  pool.on("connection", (connection) => connection.query(sessionSettings));
  const { Buffer } = globalThis as unknown as {
    Buffer: { from(bytes: ArrayBufferLike, at: number, length: number): Uint8Array };
  };
  // The package sends other arrays of bytes as texts.
  const sent = (value: Wire) =>
    value instanceof Uint8Array ? Buffer.from(value.buffer, value.byteOffset, value.byteLength) : value;
  const runOn =
    (statements: MariadbStatements): Run =>
    async ({ text, parameters, counts }: Request): Promise<WireRows> => {
      const settings = {
        rowsAsArray: true,
        dateStrings: true,
        supportBigNumbers: true,
        bigNumberStrings: false,
      } as const;
      try {
        const [rows] = await statements.execute({ sql: text, values: parameters.map(sent), ...settings });
        if (Array.isArray(rows)) return rows;
        return counts === true ? [[(rows as { readonly affectedRows: number }).affectedRows]] : [];
      } catch (error) {
        throw mariadbError(error, text);
      }
    };
  return {
    dialect: "mariadb",
    answersAtOnce: false,
    run: runOn(pool),
    together: async (work, isSnapshot = false) => {
      const connection = await pool.getConnection().catch((error) => {
        throw mariadbError(error, "begin");
      });
      return await inTransaction(
        runOn(connection),
        work,
        (broken) => (broken ? connection.destroy() : connection.release()),
        isSnapshot ? snapshot : ["begin"],
      );
    },
  };
}
