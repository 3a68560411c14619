import { GemachError } from "../errors/index.js";
import { type Strategy, strategies } from "../expression/index.js";
import type { Dialect } from "../sql/index.js";
import { Compiler } from "./compiler.js";
import { register } from "./connections.js";
import type { Context } from "./context.js";
import type { Driver } from "./driver.js";
import { joining } from "./joining.js";
import type { Joining, Transaction, TransactionWork } from "./open-transaction.js";
import { expectOptions } from "./options.js";
import { now } from "./platform.js";
import { canGenerateCode } from "./row-constructor.js";
import { runTransaction, type TransactionOptions, type TransactionPlace } from "./run-transaction.js";
import { poolSender } from "./sender.js";
import { Verbs } from "./verbs.js";
import { watch } from "./watch.js";

/** Settings of a database. */
export interface DatabaseOptions {
  /** The strategy where neither query nor model says otherwise; "auto" by default. */
  readonly how?: Strategy;
  /** Whether row constructors may be compiled to code; by default, where the platform allows it. */
  readonly generateCode?: boolean;
  /** Whether all statements of one query see one state of the data; on SQLite they always do. */
  readonly snapshot?: boolean;
  /**
   * Whether the tables are sure to have the foreign keys that the model says, so that to-one relations are joined without
   * looking whether their rows are there; false by default. A relation says it for itself by `constraint: "trusted"`.
   */
  readonly trustConstraints?: boolean;
  /**
   * Whether the verbs of the database itself, called inside of a transaction's work, are part of the transaction; false by
   * default. It follows asynchronous calls, where the platform can: not in a browser.
   */
  readonly ambient?: boolean;
  /** Milliseconds since any moment, for the times in a ledger; `performance.now` by default. */
  readonly clock?: () => number;
}

/** A database that queries are run on. Made by `database(driver)`. */
export class Database extends Verbs {
  /** The dialect that it speaks. */
  readonly dialect: Dialect;
  readonly #place: TransactionPlace;
  readonly #current: (() => Transaction | undefined) | undefined;

  /** @internal */
  constructor(driver: Driver, options: DatabaseOptions) {
    const { how = "auto", generateCode = canGenerateCode(), clock = now, snapshot = false, ambient = false } = options;
    const isTrusting = options.trustConstraints === true;
    if (!strategies.includes(how)) throw new GemachError("STRATEGY_UNKNOWN", { given: String(how), known: strategies });
    const { dialect } = driver;
    const sender = poolSender(driver, watch(clock));
    const compiler = new Compiler(dialect, { how, generateCode, isTrusting });
    const own: Context = { compiler, sender, isSnapshot: snapshot, isReadOnly: false, isTransaction: false };
    const joined = ambient ? joining(own) : undefined;
    super(joined?.context ?? own);
    this.dialect = dialect;
    this.#current = joined?.current;
    const join: Joining = joined?.join ?? ((_tx, _context, work) => work());
    this.#place = { driver, compiler, watch: sender.watch, clock, join };
    register(this, { sender, dialect, clock });
  }

  /**
   * Does work in one transaction, on one connection: it commits at the end of the work, and rolls back where the work
   * throws; the error comes out as it is. The work gets a handle with every verb of a database, and uses that one alone.
   * Inside of a transaction that was opened on the driver's own handle (SQLite, PGlite), it is a savepoint.
   * @throws GemachError `OPTION_UNKNOWN`, `ENGINE_UNABLE` for a level that the engine has not, `COMMIT_UNKNOWN` where the
   * connection was lost in the middle of the commit, `AFTER_COMMIT_FAILED`
   */
  async transaction<R>(work: TransactionWork<R>, options: TransactionOptions = {}): Promise<R> {
    const current = this.#current?.();
    if (current === undefined) return await runTransaction(this.#place, work, options);
    return await current.transaction(work, options);
  }
}

/** A database or a transaction on it: what code that works with either takes. */
export type AnyDatabase = Database | Transaction;

const knownOptions: readonly (keyof DatabaseOptions)[] = [
  "how",
  "generateCode",
  "clock",
  "snapshot",
  "trustConstraints",
  "ambient",
];

/**
 * A database over a driver: `database(sqlite(handle))`. It opens nothing and sends nothing by itself.
 * @throws GemachError `OPTION_UNKNOWN`, `STRATEGY_UNKNOWN`
 */
export function database(driver: Driver, options: DatabaseOptions = {}): Database {
  expectOptions("database", options, knownOptions);
  return new Database(driver, options);
}
