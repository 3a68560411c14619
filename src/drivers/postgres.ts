import type { Driver, Request, Run, WireRows } from "../run/index.js";
import { inTransaction } from "./in-transaction.js";
import { postgresError } from "./postgres-error.js";
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
  connect(): Promise<PostgresQueries & { release(broken?: boolean): void }>;
}

/** Settings of the PostgreSQL driver. */
export interface PostgresOptions {
  /**
   * Whether statements are prepared by name, so that the server parses and plans each text once a
   * connection; true by default. Turn it off behind a connection pooler that cannot hold them.
   */
  readonly prepare?: boolean;
}

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

/** The driver for PostgreSQL, over a pool that the caller made and will end. */
export function postgres(pool: PostgresPool, { prepare = true }: PostgresOptions = {}): Driver {
  const names = new Map<string, string>();
  const named = (text: string): string => {
    const known = names.get(text) ?? nameOf(text);
    if (names.size >= mostNames) names.clear();
    names.set(text, known);
    return known;
  };
  const runOn =
    (queries: PostgresQueries): Run =>
    async ({ text, parameters, once, counts }: Request): Promise<WireRows> => {
      const query: PostgresQuery = { text, values: [...parameters], rowMode: "array", types: textTypes };
      if (prepare && once !== true) query.name = named(text);
      try {
        const { rows, rowCount } = await queries.query(query);
        return counts === true ? [[rowCount ?? 0]] : (rows as WireRows);
      } catch (error) {
        throw postgresError(error, text);
      }
    };
  return {
    dialect: "postgres",
    answersAtOnce: false,
    run: runOn(pool),
    together: async (work, isSnapshot = false) => {
      const client = await pool.connect().catch((error) => {
        throw postgresError(error, "begin");
      });
      return await inTransaction(runOn(client), work, (broken) => client.release(broken), [
        isSnapshot ? "begin isolation level repeatable read read only" : "begin",
      ]);
    },
  };
}
