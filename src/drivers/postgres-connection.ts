import { planTimes } from "./postgres-plans.js";
import { type AnswerField, type Prepared, statementNames } from "./postgres-prepared.js";

/** The part of a query's configuration that is used, as `pg` takes it. */
export interface PostgresQuery {
  readonly text: string;
  readonly values: unknown[];
  readonly rowMode: "array";
  readonly types: { getTypeParser(): (value: string) => string };
  name?: string;
}

/** The part of an answer that is used. */
export interface PostgresAnswer {
  readonly rows: unknown[];
  readonly rowCount: number | null;
  /** What was done, in the server's word: COMMIT, or ROLLBACK where a commit could be none. */
  readonly command?: string;
  readonly fields?: readonly AnswerField[];
}

/** Takes queries: a pool, or one of its connections. */
export interface PostgresQueries {
  query(query: PostgresQuery | string): Promise<PostgresAnswer>;
}

/** A pool of `pg` (`new Pool({ connectionString })`). */
export interface PostgresPool extends PostgresQueries {
  connect(): Promise<PostgresClient>;
}

/** One of its connections. */
export interface PostgresClient extends PostgresQueries {
  release(broken?: boolean): void;
  on?(event: "error", listener: (error: Error) => void): unknown;
}

/** The facts of the texts that were sent on a pool, by any of its drivers. */
export interface PoolTexts {
  readonly plans: ReturnType<typeof planTimes>;
  readonly names: ReturnType<typeof statementNames>;
  /** Whether a text is worth preparing: it was sent before. */
  readonly isRepeated: (text: string) => boolean;
  /**
   * Whether the server's connections behind it were found to be shared with others, so that nothing is prepared on
   * them.
   */
  isShared: boolean;
}

/** How many texts are known to have been sent before. */
const mostSeen = 2000;

const texts = new WeakMap<PostgresPool, PoolTexts>();

export function textsOf(pool: PostgresPool): PoolTexts {
  const known = texts.get(pool);
  if (known !== undefined) return known;
  const seen = new Set<string>();
  const isRepeated = (text: string): boolean => {
    if (seen.has(text)) return true;
    if (seen.size >= mostSeen) seen.clear();
    seen.add(text);
    return false;
  };
  const made = { plans: planTimes(), names: statementNames(mostSeen), isRepeated, isShared: false };
  texts.set(pool, made);
  return made;
}

/** A connection, as all drivers of its pool know it. */
export interface Met extends Prepared {
  isLost: boolean;
  /**
   * Whether something stands between it and the server: the server's process is another one than the connection was
   * told. Then each transaction may be on another connection of the server, which has not prepared what this one has.
   */
  isPooled: boolean;
}

export interface Connected {
  readonly client: PostgresClient;
  readonly known: Met;
}

const met = new WeakMap<PostgresClient, Met>();

/** What a session must be like, the forms in which values come; and which process of the server answers. */
const meeting =
  "set datestyle = 'ISO'; set bytea_output = 'hex'; set extra_float_digits = 1; set standard_conforming_strings = on; select pg_backend_pid()";

/**
 * Whether the process that answered is another one than the connection has for its own; where neither is known, it is
 * not.
 */
function isOtherProcess(client: PostgresClient, answer: unknown): boolean {
  const { processID } = client as { readonly processID?: unknown };
  const last = Array.isArray(answer) ? (answer.at(-1) as PostgresAnswer) : undefined;
  const [row] = last?.rows ?? [];
  const process = (row as { readonly pg_backend_pid?: unknown } | undefined)?.pg_backend_pid;
  return typeof processID === "number" && process !== undefined && Number(process) !== processID;
}

/**
 * Sets a connection up that was not met before, whoever opened it: a server's or a role's own settings would write
 * days, bytes and numbers in another form, some with fewer digits.
 */
async function meet(client: PostgresClient): Promise<Met> {
  const known: Met = { statements: new Map(), runs: 0, isLost: false, isPooled: false };
  met.set(client, known);
  // A server that ends is an event on its connection, which would end the program; the statement in hand fails with it.
  client.on?.("error", () => {
    known.isLost = true;
  });
  const answer = await client.query(meeting).catch(() => undefined);
  known.isPooled = isOtherProcess(client, answer);
  return known;
}

/** Returns the facts of a connection, at once where it was met before. */
export const metOrMeet = (client: PostgresClient): Met | Promise<Met> => met.get(client) ?? meet(client);
