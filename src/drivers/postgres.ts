import { GemachError } from "../errors/index.js";
import {
  cancelling,
  type Driver,
  now,
  orStopped,
  type Request,
  type Send,
  type Stop,
  type TransactionSettings,
  type WireRows,
} from "../run/index.js";
import { postgresDialect } from "../sql/index.js";
import { expectHandle, ownTransaction, savepoints, sendText } from "./controls.js";
import { cancelOnServer } from "./postgres-cancel.js";
import { planTimes } from "./postgres-plans.js";
import {
  closeLeastUsed,
  hasTooMany,
  type Prepared,
  type PreparedStatement,
  preparedStatement,
} from "./postgres-prepared.js";

export { postgresDialect } from "../sql/index.js";

/** What is used of a query's configuration, as `pg` takes it. */
export interface PostgresQuery {
  readonly text: string;
  readonly values: unknown[];
  readonly rowMode: "array";
  readonly types: { getTypeParser(): (value: string) => string };
  name?: string;
}

/** What is used of an answer. */
export interface PostgresAnswer {
  readonly rows: unknown[];
  readonly rowCount: number | null;
}

/** What takes queries: a pool, or one of its connections. */
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

/** How many texts are known to have been sent before. */
const mostSeen = 2000;

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

const inheriting = (facts: object, values: unknown[]): PostgresQuery => {
  const query = Object.create(facts);
  query.values = values;
  return query;
};

type Answered = (error: unknown, answer?: PostgresAnswer) => void;

/**
 * Sends a query by a call back, as the package's own connections take one: each of its promises takes the stack of its call, and all of them
 * together took a twentieth of a single statement.
 */
function ask(client: PostgresClient, query: PostgresQuery, done: Answered): void {
  if (client.query.length > 1)
    (client as unknown as { query(query: PostgresQuery, done: Answered): void }).query(query, done);
  else
    client.query(query).then(
      (answer) => done(undefined, answer),
      (error) => done(error),
    );
}

/** What a transaction is begun with. */
const beginText = ({ isolation, readOnly }: TransactionSettings): string =>
  `begin${isolation === undefined ? "" : ` isolation level ${isolation}`}${readOnly === true ? " read only" : ""}`;

/** Whether a connection can be used on after an error: the server itself has answered (SQLSTATE), and lives. */
const isUsable = (error: unknown): boolean => {
  const { code } = error as { readonly code?: string };
  return code !== undefined && /^(?!57P|08)[0-9A-Z]{5}$/.test(code);
};

/** What is known of the texts that were sent on a pool, by any of its drivers. */
interface Texts {
  readonly plans: ReturnType<typeof planTimes>;
  /** Whether a text is worth preparing: it was sent before. */
  readonly isRepeated: (text: string) => boolean;
}

const texts = new WeakMap<PostgresPool, Texts>();

function textsOf(pool: PostgresPool): Texts {
  const known = texts.get(pool);
  if (known !== undefined) return known;
  const seen = new Set<string>();
  const isRepeated = (text: string): boolean => {
    if (seen.has(text)) return true;
    if (seen.size >= mostSeen) seen.clear();
    seen.add(text);
    return false;
  };
  const made = { plans: planTimes(), isRepeated };
  texts.set(pool, made);
  return made;
}

/** A connection, as all drivers of its pool know it. */
interface Met extends Prepared {
  isLost: boolean;
}

interface Connected {
  readonly client: PostgresClient;
  readonly known: Met;
}

const met = new WeakMap<PostgresClient, Met>();

/**
 * Sets a connection up that was not met before, whoever opened it: a server's or a role's own settings would write days, bytes and numbers in
 * another form, some with fewer digits.
 */
async function meet(client: PostgresClient): Promise<Met> {
  const known: Met = { statements: new Map(), count: 0, runs: 0, isLost: false };
  met.set(client, known);
  // A server that ends is an event on its connection, which would end the program; the statement in hand fails with it.
  client.on?.("error", () => {
    known.isLost = true;
  });
  await client.query(sessionSettings).catch(() => {});
  return known;
}

/** The driver for PostgreSQL, over a pool that the caller made and will end. */
export function postgres(pool: PostgresPool, { prepare = true }: PostgresOptions = {}): Driver {
  expectHandle("postgres()", pool, ["query", "connect"], "a pool of pg (new Pool({ connectionString }))");
  const { isRepeated, plans } = textsOf(pool);
  const connecting = (stop: Stop | undefined): Promise<PostgresClient> =>
    stop === undefined ? pool.connect() : orStopped(stop, pool.connect(), (late) => late.release());
  const unconnected = (error: unknown) =>
    error instanceof GemachError ? error : postgresDialect.fault(error, "connect");
  const connect = async (stop: Stop | undefined): Promise<Connected> => {
    try {
      const client = await connecting(stop);
      return { client, known: met.get(client) ?? (await meet(client)) };
    } catch (error) {
      throw unconnected(error);
    }
  };
  /** The text as the connection has it, where that is worth it. */
  const preparedFor = (known: Met, { text, once }: Request): PreparedStatement | undefined => {
    if (!prepare || once === true) return undefined;
    const there = known.statements.get(text);
    if (there?.isSettled !== true && (!isRepeated(text) || plans.isAnew(text))) return undefined;
    return preparedStatement(known, text, textTypes);
  };
  const sendOn = (
    { client, known }: Connected,
    { text, parameters, counts }: Request,
    statement: PreparedStatement | undefined,
  ): Promise<WireRows> => {
    const values = parameters as unknown[];
    const query: PostgresQuery =
      statement === undefined
        ? { text, values, rowMode: "array", types: textTypes }
        : inheriting(statement.facts, values);
    // The clock takes half a hundredth of a statement, each time.
    const begun = statement?.isSettled === true ? undefined : now();
    return new Promise((resolve, reject) => {
      ask(client, query, (error, answer) => {
        if (error || answer === undefined) {
          if (statement !== undefined && mayBeOutdated(error)) known.statements.delete(text);
          reject(error);
          return;
        }
        if (begun !== undefined) {
          plans.note(text, statement && ++statement.runs, now() - begun);
          if (statement !== undefined) statement.isSettled = plans.isKept(text);
        }
        resolve(counts === true ? [[answer.rowCount ?? 0]] : (answer.rows as WireRows));
      });
    });
  };
  const faultOf = (error: unknown, { text }: Request) =>
    error instanceof GemachError ? error : postgresDialect.fault(error, text);
  /** The same, cancelled on the server where it is time to stop. */
  const cancellable = (
    connected: Connected,
    request: Request,
    statement: PreparedStatement | undefined,
  ): Promise<WireRows> =>
    request.stop === undefined
      ? sendOn(connected, request, statement)
      : cancelling(
          request.stop,
          () => sendOn(connected, request, statement),
          () => cancelOnServer(pool, connected.client),
          (error) => (error as { readonly code?: string }).code === "57014" || !isUsable(error),
        );
  /** Sends one statement by itself, on a connection of its own meanwhile. */
  const send: Send = async (request) => {
    let client: PostgresClient | undefined;
    let known: Met | undefined;
    let isBroken = false;
    try {
      // Not by `connect`: each function that is awaited takes a hundredth of a statement.
      client = await connecting(request.stop);
      known = met.get(client) ?? (await meet(client));
      const connected = { client, known };
      request.watcher?.connected();
      const statement = preparedFor(known, request);
      try {
        return await cancellable(connected, request, statement);
      } catch (error) {
        if (statement === undefined || !mayBeOutdated(error)) throw error;
        // Nothing was done; what was not prepared tells whose fault it was.
        return await cancellable(connected, request, undefined);
      } finally {
        if (hasTooMany(known)) await closeLeastUsed(client, known);
      }
    } catch (error) {
      if (client === undefined) throw unconnected(error);
      isBroken = !isUsable(error);
      throw faultOf(error, request);
    } finally {
      client?.release(isBroken || known?.isLost);
    }
  };
  return {
    dialect: postgresDialect,
    lone: (pool as { readonly options?: { readonly max?: number } }).options?.max === 1 ? pool : undefined,
    answersAtOnce: false,
    send,
    open: async (stop) => {
      const connected = await connect(stop);
      const { client, known } = connected;
      const waiting: (() => void)[] = [];
      let isBusy = false;
      /** The package takes one query at a time. */
      const inTurn = async <T>(request: Request, work: () => Promise<T>): Promise<T> => {
        if (isBusy) await new Promise<void>((resolve) => waiting.push(resolve));
        isBusy = true;
        try {
          return await work();
        } catch (error) {
          throw faultOf(error, request);
        } finally {
          const next = waiting.shift();
          if (next === undefined) isBusy = false;
          else next();
        }
      };
      const send: Send = (request) =>
        inTurn(request, () => cancellable(connected, request, preparedFor(known, request)));
      // A bare text takes a way through the package that is a tenth shorter.
      const control = (request: Request) => inTurn(request, () => client.query(request.text));
      return {
        send,
        begin: (settings) => sendText(control, beginText(settings)),
        ...ownTransaction(control),
        ...savepoints(control),
        close: (isBroken) => {
          const release = (isUnfit: boolean) => client.release(isUnfit || known.isLost);
          if (isBroken || known.isLost || !hasTooMany(known)) release(isBroken);
          else
            void closeLeastUsed(client, known).then(
              () => release(false),
              () => release(true),
            );
        },
      };
    },
  };
}
