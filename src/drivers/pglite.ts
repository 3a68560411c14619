import type { Driver, Request, Send, Session, TransactionSettings, WireRows } from "../run/index.js";
import { pgliteDialect } from "../sql/index.js";
import { expectHandle, nestedName, nestedTransaction, savepoints, sendText } from "./controls.js";
import { turnsOf } from "./turns.js";

export { pgliteDialect } from "../sql/index.js";

/** How values go to and fro: as the text that PostgreSQL itself reads and writes. */
export interface PgliteOptions {
  readonly rowMode: "array";
  readonly parsers: Readonly<Record<number, (value: string) => string>>;
  readonly serializers: Readonly<Record<number, (value: unknown) => string>>;
}

/** Takes queries: a database, or a transaction on it. */
export interface PgliteQueries {
  // biome-ignore lint/suspicious/noExplicitAny: the package types its options more narrowly than it reads them
  query(text: string, parameters: any[], options: any): Promise<PgliteAnswer>;
}

/** The part of an answer that is used. */
export interface PgliteAnswer {
  readonly rows: unknown[];
  readonly affectedRows?: number;
}

/** A database of `@electric-sql/pglite` (`new PGlite()`). */
export interface PgliteDatabase extends PgliteQueries {
  exec(text: string): Promise<unknown>;
  transaction<R>(work: (transaction: PgliteQueries) => Promise<R>): Promise<R>;
}

/** The types that the package would parse or serialise itself, each with its array (catalogue pg_type). */
const parsedTypes = [
  ...[16, 1000, 17, 1001, 20, 1016, 21, 1005, 23, 1007, 25, 1009, 26, 1028, 114, 199, 700, 1021, 701, 1022],
  ...[1042, 1014, 1043, 1015, 1082, 1182, 1083, 1183, 1114, 1115, 1184, 1185, 1186, 1187, 1700, 1231, 2950, 2951],
  ...[3802, 3807],
];

const asText = <T>(convert: (value: T) => string): Readonly<Record<number, (value: T) => string>> =>
  Object.fromEntries(parsedTypes.map((type) => [type, convert]));

const options: PgliteOptions = {
  rowMode: "array",
  parsers: asText<string>((value) => value),
  serializers: asText<unknown>(String),
};

/** A transaction of the package's own, held open until it is ended: its other work waits meanwhile. */
interface Held {
  readonly queries: PgliteQueries;
  /** Commits, or rolls back where an error is handed over. */
  end(error?: unknown): Promise<void>;
}

async function hold(database: PgliteDatabase): Promise<Held> {
  let end: (error?: unknown) => void = () => {};
  const isEnded = new Promise<void>((resolve, reject) => {
    end = (error) => (error === undefined ? resolve() : reject(error));
  });
  return await new Promise((resolve, reject) => {
    const done = database.transaction(async (queries) => {
      resolve({
        queries,
        end: async (error) => {
          end(error);
          await done.catch((thrown: unknown) => {
            if (thrown !== error) throw thrown;
          });
        },
      });
      await isEnded;
    });
    done.catch(reject);
  });
}

/** Whether the caller has a transaction open: a savepoint is possible only inside of one (SQLSTATE 25P01 else). */
async function isInTransaction(database: PgliteDatabase): Promise<boolean> {
  try {
    await database.exec(`savepoint ${nestedName}`);
    return true;
  } catch (error) {
    if ((error as { code?: string }).code === "25P01") return false;
    throw pgliteDialect.fault(error, "savepoint");
  }
}

function settingsText({ isolation, readOnly }: TransactionSettings): string | undefined {
  const parts = [
    ...(isolation === undefined ? [] : [`isolation level ${isolation}`]),
    ...(readOnly === true ? ["read only"] : []),
  ];
  return parts.length === 0 ? undefined : `set transaction ${parts.join(", ")}`;
}

/**
 * The driver for PostgreSQL in the process, over a database that the caller made and will close. Sessions wait for each
 * other, and so do single statements for a session that is open.
 */
export function pglite(database: PgliteDatabase): Driver {
  expectHandle(
    "pglite()",
    database,
    ["query", "exec", "transaction"],
    "a database of @electric-sql/pglite (new PGlite())",
  );
  const turns = turnsOf(database);
  const sendOn =
    (queries: () => PgliteQueries): Send =>
    async ({ text, parameters, counts }: Request): Promise<WireRows> => {
      try {
        const { rows, affectedRows } = await queries().query(text, [...parameters], options);
        return counts === true ? [[affectedRows ?? 0]] : (rows as WireRows);
      } catch (error) {
        throw pgliteDialect.fault(error, text);
      }
    };
  const direct = sendOn(() => database);

  const session = (leave: () => void): Session => {
    let held: Held | undefined;
    let hasFailed = false;
    const sending = sendOn(() => held?.queries ?? database);
    const send: Send = async (request) => {
      try {
        return await sending(request);
      } catch (error) {
        hasFailed = true;
        throw error;
      }
    };
    const nested = nestedTransaction(send);
    const ended = async (error?: unknown): Promise<void> => {
      const { end } = held as Held;
      held = undefined;
      await end(error).catch((thrown: unknown) => {
        throw pgliteDialect.fault(thrown, "commit");
      });
    };
    return {
      send,
      begin: async (settings) => {
        if (await isInTransaction(database)) return;
        held = await hold(database);
        const text = settingsText(settings);
        if (text !== undefined) await sendText(send, text);
      },
      commit: async () => {
        if (held === undefined) return await nested.commit();
        // A transaction in which a statement has failed is rolled back by a commit, which is no error: not all versions
        // of the package look.
        if (hasFailed) await sendText(send, "select 1");
        return await ended();
      },
      rollback: () => (held === undefined ? nested.rollback() : ended(new Error("rolled back"))),
      ...savepoints(send),
      close: leave,
    };
  };

  return {
    dialect: pgliteDialect,
    exclusive: database,
    answersAtOnce: false,
    send: (request) =>
      turns.single(() => {
        request.watcher?.connected();
        return direct(request);
      }, request.stop),
    open: (stop) => {
      const entered = turns.enter(stop);
      return entered instanceof Promise ? entered.then(session) : session(entered);
    },
  };
}
