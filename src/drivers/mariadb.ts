import { platform } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  cancelling,
  type Driver,
  orStopped,
  type Request,
  type Send,
  type Stop,
  type TransactionSettings,
  type WireRows,
} from "../run/index.js";
import { mariadbDialect, type Wire } from "../sql/index.js";
import { expectHandle, ownTransaction, savepoints, sendText } from "./controls.js";
import { endWatch } from "./ended.js";
import { inTurnOfOne } from "./in-turn.js";
import { cancelOnServer } from "./mariadb-cancel.js";

export { mariadbDialect } from "../sql/index.js";

/** The part of a statement's settings that is used, as `mysql2` takes them. */
export interface MariadbStatement {
  readonly sql: string;
  // biome-ignore lint/suspicious/noExplicitAny: the package narrows what it takes
  readonly values: any[];
  readonly rowsAsArray: true;
  readonly dateStrings: true;
  readonly supportBigNumbers: true;
  readonly bigNumberStrings: false;
}

/** Takes statements: a pool, or one of its connections. */
export interface MariadbStatements {
  // biome-ignore lint/suspicious/noExplicitAny: a row or a header, as the statement has it
  execute(statement: MariadbStatement): Promise<[any, any]>;
}

/** One of a pool's connections. */
export interface MariadbConnection extends MariadbStatements {
  query(text: string): Promise<unknown>;
  release(): void;
  destroy(): void;
}

/** A pool of `mysql2/promise` (`createPool({ uri })`). */
export interface MariadbPool extends MariadbStatements {
  getConnection(): Promise<MariadbConnection>;
  // biome-ignore lint/suspicious/noExplicitAny: the pool announces connections of its own class
  on(event: "connection", listener: (connection: any) => void): unknown;
}

/**
 * Makes a session return the same on every server, whatever the server's own settings are: strict, so that nothing is
 * cut short or rounded in silence; instants in UTC; a zero that is inserted stays a zero; what an update gives one
 * column does not change what it gives the next; nested rows of any length are whole.
 */
const sessionSettings =
  "set session sql_mode = 'STRICT_ALL_TABLES,NO_AUTO_VALUE_ON_ZERO,SIMULTANEOUS_ASSIGNMENT,NO_ENGINE_SUBSTITUTION', time_zone = '+00:00', group_concat_max_len = 4294967295, names utf8mb4 collate utf8mb4_nopad_bin";

/** The pools whose connections get them, however many drivers a pool has. */
const listening = new WeakSet<MariadbPool>();

/** What the package's own pool or connection, inside of the one with promises, takes. */
interface Inner {
  execute(statement: MariadbStatement, done: (error: unknown, rows: unknown) => void): unknown;
}

/** One of the connections of the package's own pool. */
interface InnerConnection extends Inner {
  release(): void;
  destroy(): void;
}

interface InnerPool extends Inner {
  getConnection?(done: (error: unknown, connection: InnerConnection) => void): unknown;
}

/**
 * Whether the server hangs up after this answer, a little later than it gives it: the packet was too big for it (1153).
 */
const isHangingUp = (error: unknown): boolean => (error as { errno?: unknown } | null)?.errno === 1153;

/** Sends a statement on a connection of a pool, which is given back where the next one can use it. */
function executeIn(
  pool: InnerPool,
  statement: MariadbStatement,
  done: (error: unknown, rows?: unknown) => void,
): unknown {
  if (typeof pool.getConnection !== "function") return pool.execute(statement, done);
  return pool.getConnection((failed, connection) => {
    if (failed) {
      done(failed);
      return;
    }
    try {
      connection.execute(statement, (error, rows) => {
        if (isHangingUp(error)) connection.destroy();
        else connection.release();
        done(error, rows);
      });
    } catch (error) {
      connection.release();
      done(error);
    }
  });
}

/**
 * Sends a statement, without the stack that the package's promises take of each call: that took an eighth of all time
 * on the way of single statements.
 */
function executing(statements: MariadbStatements): (statement: MariadbStatement) => Promise<unknown> {
  const { pool, connection } = statements as { readonly pool?: InnerPool; readonly connection?: Inner };
  const inner = pool ?? connection;
  if (typeof inner?.execute !== "function") return async (statement) => (await statements.execute(statement))[0];
  return (statement) =>
    new Promise((resolve, reject) => {
      const done = (error: unknown, rows: unknown): void => (error ? reject(error) : resolve(rows));
      if (pool === undefined) inner.execute(statement, done);
      else executeIn(pool, statement, done);
    });
}

/** Whether a pool has one connection alone; the package keeps its settings in the pool inside of it. */
function isOfOne(pool: MariadbPool): boolean {
  const { pool: inner } = pool as {
    readonly pool?: { readonly config?: { readonly connectionLimit?: number } };
  };
  return inner?.config?.connectionLimit === 1;
}

/** What a transaction is begun with; one that only reads sees the state in which the data was when it began. */
function* beginTexts({ isolation, readOnly = false }: TransactionSettings): Generator<string> {
  if (isolation !== undefined) yield `set transaction isolation level ${isolation}`;
  const isSnapshot = isolation === "repeatable read" && readOnly;
  const settings = [...(isSnapshot ? ["with consistent snapshot"] : []), ...(readOnly ? ["read only"] : [])];
  yield settings.length === 0 ? "start transaction" : `start transaction ${settings.join(", ")}`;
}

/**
 * The driver for MariaDB, over a pool that the caller made and will end. Hand it over before the pool
 * opens connections: each is set to strict mode, UTC and utf8mb4 when it is opened.
 */
export function mariadb(pool: MariadbPool): Driver {
  const expected = 'a pool of mysql2/promise (createPool of "mysql2/promise")';
  expectHandle("mariadb()", pool, ["execute", "getConnection", "on"], expected);
  // The package's other kind of pool answers by callbacks, and would never be heard of.
  if ("promise" in pool && typeof pool.promise === "function")
    throw new GemachError("HANDLE_EXPECTED", { call: "mariadb()", expected, got: "one that takes callbacks" });
  if (!listening.has(pool)) pool.on("connection", (connection) => connection.query(sessionSettings));
  listening.add(pool);
  const { Buffer } = platform;
  // The package sends other arrays of bytes as texts.
  const sent = (value: Wire) =>
    value instanceof Uint8Array ? Buffer.from(value.buffer, value.byteOffset, value.byteLength) : value;
  const sendOn = (statements: MariadbStatements): Send => {
    const execute = executing(statements);
    return async ({ text, parameters, counts }: Request): Promise<WireRows> => {
      const settings = {
        rowsAsArray: true,
        dateStrings: true,
        supportBigNumbers: true,
        bigNumberStrings: false,
      } as const;
      try {
        const rows = await execute({ sql: text, values: parameters.map(sent), ...settings });
        if (Array.isArray(rows)) return rows as WireRows;
        return counts === true ? [[(rows as { readonly affectedRows: number }).affectedRows]] : [];
      } catch (error) {
        if (isHangingUp(error)) hungUp.add(statements);
        throw mariadbDialect.fault(error, text);
      }
    };
  };
  /** Connections that nobody can use any more. */
  const hungUp = new WeakSet<object>();
  const giveBack = (connection: MariadbConnection): void =>
    hungUp.has(connection) ? connection.destroy() : connection.release();
  const connect = async (stop: Stop | undefined): Promise<MariadbConnection> => {
    try {
      return await orStopped(stop, pool.getConnection(), (deferred) => deferred.release());
    } catch (error) {
      throw error instanceof GemachError ? error : mariadbDialect.fault(error, "begin");
    }
  };
  const sendTo = (connection: MariadbConnection): Send => {
    const send = sendOn(connection);
    return (request) =>
      cancelling(
        request.stop,
        async () => await send(request),
        () => cancelOnServer(pool, connection),
        (error) => error instanceof GemachError && (error.code === "CANCELLED" || error.code === "CONNECTION_LOST"),
      );
  };
  const direct = sendOn(pool);
  /** Sends what may be ended, or is watched, on a connection that is known. */
  const known = async (request: Request): Promise<WireRows> => {
    const connection = await connect(request.stop);
    request.watcher?.connected();
    try {
      return await sendTo(connection)(request);
    } finally {
      giveBack(connection);
    }
  };
  return {
    dialect: mariadbDialect,
    exclusive: isOfOne(pool) ? pool : undefined,
    answersAtOnce: false,
    send: (request) => (request.stop === undefined && request.watcher === undefined ? direct(request) : known(request)),
    open: async (stop) => {
      const connection = await connect(stop);
      const turn = inTurnOfOne();
      // What has no values and no rows needs no preparing.
      const direct: Send = async ({ text }) => {
        try {
          await connection.query(text);
          return [];
        } catch (error) {
          throw mariadbDialect.fault(error, text);
        }
      };
      const isOpen = async (): Promise<boolean> => {
        try {
          const [rows] = (await connection.query("select @@in_transaction as is_open")) as [{ is_open: unknown }[]];
          return Number(rows[0]?.is_open) === 1;
        } catch {
          // With its connection the transaction is gone too.
          return false;
        }
      };
      const watch = endWatch("MariaDB", isOpen);
      // One after the other: whether the next may be sent is known once the one before it was answered.
      const guarded = (send: Send): Send => {
        const guard = watch.guard(send);
        return (request) => turn(async () => await guard(request));
      };
      const control = guarded(direct);
      return {
        send: guarded(sendTo(connection)),
        begin: async (settings) => {
          for (const text of beginTexts(settings)) await sendText(direct, text);
          watch.begun();
        },
        commit: ownTransaction(control).commit,
        rollback: async () => {
          if (!(await watch.isOver())) await sendText(direct, "rollback");
        },
        ...savepoints(control),
        close: (isBroken) => (isBroken ? connection.destroy() : giveBack(connection)),
      };
    },
  };
}
