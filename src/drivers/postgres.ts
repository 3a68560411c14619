import { GemachError } from "../errors/index.js";
import type { Driver, Request, WireRows } from "../run/index.js";

/** What is used of a query's configuration, as `pg` takes it. */
export interface PostgresQuery {
  readonly text: string;
  readonly values: unknown[];
  readonly rowMode: "array";
  readonly types: { getTypeParser(): (value: string) => string };
  name?: string;
}

/** A pool of `pg` (`new Pool({ connectionString })`), or one of its clients. */
export interface PostgresPool {
  query(query: PostgresQuery): Promise<{ readonly rows: unknown[] }>;
}

/** Settings of the PostgreSQL driver. */
export interface PostgresOptions {
  /**
   * Whether statements are prepared by name, so that the server parses and plans each text once a
   * connection; true by default. Turn it off behind a connection pooler that cannot hold them.
   */
  readonly prepare?: boolean;
}

const engine = "PostgreSQL";

/** Values come as the server's text: this library decodes them itself. */
const textTypes = { getTypeParser: () => (value: string) => value };

/** What the server and the socket say of an error. */
interface PostgresFault extends Error {
  readonly code?: string;
  readonly table?: string;
  readonly column?: string;
  readonly constraint?: string;
  readonly address?: string;
  readonly host?: string;
  readonly port?: number;
  readonly errors?: readonly PostgresFault[];
}

const quotedIn = (message: string): string | undefined => /"([^"]+)"/.exec(message)?.[1];

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
  "40P01": (e) => new GemachError("DEADLOCK", { engine }, detailsOf(e)),
  "40001": (e) => new GemachError("SERIALIZATION_FAILED", { engine }, detailsOf(e)),
  "55P03": (e) => new GemachError("BUSY", { engine }, detailsOf(e)),
  "57014": (e) => new GemachError("CANCELLED", { engine }, detailsOf(e)),
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

const detailsOf = (error: PostgresFault) => ({ cause: error, serverCode: error.code });

const pick = ({ table, column, constraint }: PostgresFault) => ({ table, column, constraint });

function refused(error: PostgresFault): GemachError {
  // A name with several addresses is tried at each; the first attempt tells host and port.
  const attempt = error.errors?.[0] ?? error;
  return new GemachError(
    "CONNECTION_REFUSED",
    { engine, host: attempt.address ?? attempt.host, port: attempt.port },
    detailsOf(error),
  );
}

function translated(error: unknown, statement: string): unknown {
  if (!(error instanceof Error)) return error;
  const fault = error as PostgresFault;
  const known = fault.code === undefined ? undefined : faults[fault.code];
  if (known !== undefined) return known(fault, statement);
  if (/Connection terminated/.test(fault.message))
    return new GemachError("CONNECTION_LOST", { engine }, detailsOf(fault));
  if (fault.code === undefined || !/^[0-9A-Z]{5}$/.test(fault.code)) return error;
  return new GemachError("STATEMENT_REFUSED", { engine, reason: fault.message, statement }, detailsOf(fault));
}

/** A hash of 53 bits (multiply and rotate), well spread over texts; `seed` gives independent ones. */
function hash(text: string, seed: number): string {
  let high = 0xdeadbeef ^ seed;
  let low = 0x41c6ce57 ^ seed;
  for (let i = 0; i < text.length; i++) {
    const unit = text.charCodeAt(i);
    high = Math.imul(high ^ unit, 2654435761);
    low = Math.imul(low ^ unit, 1597334677);
  }
  high = Math.imul(high ^ (high >>> 16), 2246822507) ^ Math.imul(low ^ (low >>> 13), 3266489909);
  low = Math.imul(low ^ (low >>> 16), 2246822507) ^ Math.imul(high ^ (high >>> 13), 3266489909);
  return (4294967296 * (2097151 & low) + (high >>> 0)).toString(36);
}

/** A text's name on the server: the same in every driver over one pool, since connections outlive them. */
const nameOf = (text: string): string => `gemach_${hash(text, 0)}_${hash(text, 1)}`;

/** How many names are kept rather than made again. */
const mostNames = 1000;

/** The driver for PostgreSQL, over a pool that the caller made and will end. */
export function postgres(pool: PostgresPool, { prepare = true }: PostgresOptions = {}): Driver {
  const names = new Map<string, string>();
  const named = (text: string): string => {
    const known = names.get(text) ?? nameOf(text);
    if (names.size >= mostNames) names.clear();
    names.set(text, known);
    return known;
  };
  return {
    dialect: "postgres",
    run: async ({ text, parameters, once }: Request): Promise<WireRows> => {
      const query: PostgresQuery = { text, values: [...parameters], rowMode: "array", types: textTypes };
      if (prepare && once !== true) query.name = named(text);
      try {
        return (await pool.query(query)).rows as WireRows;
      } catch (error) {
        throw translated(error, text);
      }
    },
  };
}
