import { expectOptions, GemachError } from "../errors/index.js";
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
import { inTurnOfOne } from "./in-turn.js";
import { cancelOnServer } from "./postgres-cancel.js";
import {
  type Connected,
  type Met,
  metOrMeet,
  type PostgresAnswer,
  type PostgresClient,
  type PostgresPool,
  type PostgresQuery,
  textsOf,
} from "./postgres-connection.js";
import {
  closeLeastUsed,
  expectOwnAnswer,
  hasTooMany,
  isOfOtherConnection,
  type PreparedStatement,
  preparedStatement,
} from "./postgres-prepared.js";

export { postgresDialect } from "../sql/index.js";
export type {
  PostgresAnswer,
  PostgresClient,
  PostgresPool,
  PostgresQueries,
  PostgresQuery,
} from "./postgres-connection.js";

/** Settings of the PostgreSQL driver. */
export interface PostgresOptions {
  /**
   * Whether statements are prepared by name, so that the server parses and plans each text once a connection. By
   * default they are where a connection leads to the server itself, and not where it leads to a connection pooler: the
   * driver asks the server once a connection. `true` prepares behind a pooler too, one that keeps a server's connection
   * for each of its own, or that prepares by itself; `false` never does.
   */
  readonly prepare?: boolean;
}

/** Values come as the server's text: this library decodes them itself. */
const textTypes = { getTypeParser: () => (value: string) => value };

/**
 * Whether the server may have prepared a statement for a table that has changed since: it never runs again where the
 * types of its rows are others (0A000), nor where those of its parameters are: it cannot read them (22…), or compare
 * them (42…).
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
 * Sends a query by a call back, as the package's own connections take one: each of its promises takes the stack of its
 * call, and all of them together took a twentieth of a single statement.
 */
function ask(client: PostgresClient, query: PostgresQuery, done: Answered): void {
  if (client.query.length > 1) (client as { query(query: PostgresQuery, done: Answered): void }).query(query, done);
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

/** The driver for PostgreSQL, over a pool that the caller made and will end. */
export function postgres(pool: PostgresPool, options: PostgresOptions = {}): Driver {
  expectOptions("postgres", options, ["prepare"]);
  const { prepare } = options;
  expectHandle("postgres()", pool, ["query", "connect"], "a pool of pg (new Pool({ connectionString }))");
  const texts = textsOf(pool);
  const { isRepeated, plans, names } = texts;
  const connecting = (stop: Stop | undefined): Promise<PostgresClient> =>
    stop === undefined ? pool.connect() : orStopped(stop, pool.connect(), (deferred) => deferred.release());
  const unconnected = (error: unknown) =>
    error instanceof GemachError ? error : postgresDialect.fault(error, "connect");
  const connect = async (stop: Stop | undefined): Promise<Connected> => {
    try {
      const client = await connecting(stop);
      return { client, known: await metOrMeet(client) };
    } catch (error) {
      throw unconnected(error);
    }
  };
  /** The text as the connection has it, where that is worth it. */
  const preparedFor = (known: Met, { text, once }: Request): PreparedStatement | undefined => {
    if (once === true || texts.isShared || !(prepare ?? !known.isPooled)) return undefined;
    const there = known.statements.get(text);
    if (there?.isSettled !== true && (!isRepeated(text) || plans.isAnew(text))) return undefined;
    return preparedStatement(known, text, names, textTypes);
  };
  /** What an error of a prepared statement says of how it was prepared. */
  const forget = (known: Met, text: string, error: unknown): void => {
    if (isOfOtherConnection(error)) texts.isShared = true;
    if (!mayBeOutdated(error)) return;
    known.statements.delete(text);
    names.renew(text);
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
          if (statement !== undefined) forget(known, text, error);
          reject(error);
          return;
        }
        if (statement !== undefined) {
          try {
            expectOwnAnswer(statement, answer.fields);
          } catch (foreign) {
            texts.isShared = true;
            reject(foreign);
            return;
          }
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
  /** Sends a query, and cancels it on the server when it is time to stop. */
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
      const there = metOrMeet(client);
      known = there instanceof Promise ? await there : there;
      const connected = { client, known };
      request.watcher?.connected();
      const statement = preparedFor(known, request);
      try {
        return await cancellable(connected, request, statement);
      } catch (error) {
        if (statement === undefined || !(mayBeOutdated(error) || isOfOtherConnection(error))) throw error;
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
    exclusive: (pool as { readonly options?: { readonly max?: number } }).options?.max === 1 ? pool : undefined,
    answersAtOnce: false,
    send,
    open: async (stop) => {
      const connected = await connect(stop);
      const { client, known } = connected;
      const turn = inTurnOfOne();
      /** The package takes one query at a time. */
      const inTurn = <T>(request: Request, work: () => Promise<T>): Promise<T> =>
        turn(() =>
          work().catch((error: unknown) => {
            throw faultOf(error, request);
          }),
        );
      /** The first error of the transaction, for whoever goes on after it. */
      let failed: unknown;
      const send: Send = (request) =>
        inTurn(request, () =>
          cancellable(connected, request, preparedFor(known, request)).catch((error: unknown) => {
            failed ??= faultOf(error, request);
            throw error;
          }),
        );
      // A bare text takes a way through the package that is a tenth shorter.
      const control = (request: Request) => inTurn(request, () => client.query(request.text));
      return {
        send,
        begin: (settings) => sendText(control, beginText(settings)),
        rollback: ownTransaction(control).rollback,
        // A transaction in which a statement has failed is rolled back, and the commit answers so; it is no error.
        commit: async () => {
          const isForeign = failed instanceof GemachError && failed.code === "ANSWER_FOREIGN";
          const answer = isForeign ? undefined : ((await ownTransaction(control).commit()) as PostgresAnswer);
          if (isForeign || answer?.command === "ROLLBACK")
            throw new GemachError("TRANSACTION_FAILED", { engine: "PostgreSQL" }, { cause: failed });
        },
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
