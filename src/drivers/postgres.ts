import type { Driver, Request, Send, TransactionSettings, WireRows } from "../run/index.js";
import { postgresDialect } from "../sql/index.js";
import { expectHandle, ownTransaction, savepoints, sendText } from "./controls.js";

export { postgresDialect } from "../sql/index.js";

/** What is used of a query's configuration, as `pg` takes it. */
export interface PostgresQuery {
  readonly text: string;
  readonly values: unknown[];
  readonly rowMode: "array";
  readonly types: { getTypeParser(): (value: string) => string };
  name?: string;
}

/** What takes queries: a pool, or one of its connections. */
export interface PostgresQueries {
  query(query: PostgresQuery): Promise<{ readonly rows: unknown[]; readonly rowCount: number | null }>;
}

/** A pool of `pg` (`new Pool({ connectionString })`). */
export interface PostgresPool extends PostgresQueries {
  // biome-ignore lint/suspicious/noExplicitAny: the pool announces connections of its own class
  on?(event: "connect", listener: (client: any) => void): unknown;
  connect(): Promise<PostgresClient>;
}

/** One of its connections. */
export interface PostgresClient extends PostgresQueries {
  release(broken?: boolean): void;
  on?(event: "error", listener: (error: Error) => void): unknown;
  off?(event: "error", listener: (error: Error) => void): unknown;
}

/** Settings of the PostgreSQL driver. */
export interface PostgresOptions {
  /**
   * Whether statements are prepared by name, so that the server parses and plans each text once a
   * connection; true by default. Turn it off behind a connection pooler that cannot hold them.
   */
  readonly prepare?: boolean;
}

/** What a session must be like: the forms in which values come. */
const sessionSettings =
  "set datestyle = 'ISO'; set bytea_output = 'hex'; set extra_float_digits = 1; set standard_conforming_strings = on";

/** Values come as the server's text: this library decodes them itself. */
const textTypes = { getTypeParser: () => (value: string) => value };

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

/**
 * Whether the server may have prepared a statement for a table that has changed since: it never runs again where the
 * types of its rows are others (0A000), nor where those of its parameters are: it cannot read them (22…), or compare them (42…).
 */
const mayBeOutdated = (error: unknown): boolean => {
  const { code, message } = error as { readonly code?: string; readonly message: string };
  return code === "0A000"
    ? /cached plan/.test(message)
    : ["22P02", "22007", "22008", "22003", "42883", "42804"].includes(code ?? "");
};

/** What a transaction is begun with. */
const beginText = ({ isolation, readOnly }: TransactionSettings): string =>
  `begin${isolation === undefined ? "" : ` isolation level ${isolation}`}${readOnly === true ? " read only" : ""}`;

/** The driver for PostgreSQL, over a pool that the caller made and will end. */
export function postgres(pool: PostgresPool, { prepare = true }: PostgresOptions = {}): Driver {
  expectHandle("postgres()", pool, ["query", "connect"], "a pool of pg (new Pool({ connectionString }))");
  // A server's or a role's own settings would write days, bytes and numbers in another form, some with fewer digits.
  pool.on?.("connect", (client) => void client.query(sessionSettings)?.catch?.(() => {}));
  const names = new Map<string, string>();
  const named = (text: string): string => {
    const times = renewed.get(text);
    const known = names.get(text) ?? nameOf(times === undefined ? text : `${times} ${text}`);
    if (names.size >= mostNames) names.clear();
    names.set(text, known);
    return known;
  };
  /** How often the table of a text was found changed: a further name makes the server prepare it anew. */
  const renewed = new Map<string, number>();
  const sendOn = (queries: PostgresQueries): Send => {
    const send = async (request: Request): Promise<WireRows> => {
      const { text, parameters, once, counts } = request;
      const query: PostgresQuery = { text, values: [...parameters], rowMode: "array", types: textTypes };
      if (prepare && once !== true) query.name = named(text);
      try {
        const { rows, rowCount } = await queries.query(query);
        return counts === true ? [[rowCount ?? 0]] : (rows as WireRows);
      } catch (error) {
        const { name } = query;
        if (name === undefined || !mayBeOutdated(error)) throw postgresDialect.fault(error, text);
        const renew = () => {
          if (names.get(text) !== name) return;
          const times = (renewed.get(text) ?? 0) + 1;
          renewed.set(text, times);
          names.set(text, nameOf(`${times} ${text}`));
        };
        // A transaction has ended with the error; else nothing was done, and what was not prepared tells whose fault it was.
        if (queries !== pool) {
          renew();
          throw postgresDialect.fault(error, text);
        }
        const rows = await send({ ...request, once: true });
        renew();
        return rows;
      }
    };
    return send;
  };
  return {
    dialect: postgresDialect,
    answersAtOnce: false,
    send: sendOn(pool),
    open: async () => {
      const client = await pool.connect().catch((error) => {
        throw postgresDialect.fault(error, "begin");
      });
      // A server that ends is an event on its connection, which would end the program; the statement in hand fails with it.
      let isLost = false;
      const lost = () => {
        isLost = true;
      };
      client.on?.("error", lost);
      const send = sendOn(client);
      return {
        send,
        begin: (settings) => sendText(send, beginText(settings)),
        ...ownTransaction(send),
        ...savepoints(send),
        close: (isBroken) => {
          client.off?.("error", lost);
          client.release(isBroken === true || isLost);
        },
      };
    },
  };
}
