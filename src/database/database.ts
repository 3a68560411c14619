import { typeWord } from "../columns/index.js";
import { expectOptions, GemachError } from "../errors/index.js";
import { type OutsideRule, outsideRules, type ParameterValues, type Strategy, strategies } from "../ir/index.js";
import {
  type CallSite,
  Compiler,
  type Connection,
  type Context,
  callSite,
  canGenerateCode,
  connectionKey,
  type Driver,
  type ExplainedStatement,
  type ExplainOptions,
  now,
  onDemand,
  poolSender,
  type Sender,
  Verbs,
  watch,
} from "../run/index.js";
import { type Dialect, handleValues } from "../sql/index.js";
import type { Hooks, WorkOptions } from "../work/index.js";
import { type Ambience, ambience, joining } from "./joining.js";
import {
  type GivenValues,
  givenWith,
  type Joining,
  type Transaction,
  type TransactionOptions,
  type TransactionWork,
  transactionOptionNames,
  type Work,
} from "./open-transaction.js";
import { runTransaction, type TransactionPlace } from "./run-transaction.js";
import { undone } from "./undone.js";

/** Settings of a database. */
export interface DatabaseOptions {
  /** The strategy where neither query nor model says otherwise; "auto" by default. */
  readonly how?: Strategy;
  /** Whether row constructors may be compiled to code; by default, where the platform allows it. */
  readonly generateCode?: boolean;
  /** Whether all statements of one query see one state of the data; on SQLite they always do. */
  readonly snapshot?: boolean;
  /**
   * Whether the tables are sure to have the foreign keys that the model says, so that to-one relations are joined
   * without looking whether their rows are there; false by default. A relation says it for itself by `constraint:
   * "trusted"`.
   */
  readonly trustConstraints?: boolean;
  /**
   * How many milliseconds a statement is on its way to the server and back, as far as you know; 0 by default. From 1
   * on, `auto` brings more in one statement. It is not measured, so that a query sends the same statements each time.
   */
  readonly roundTrip?: number;
  /** Functions that are called for each row that a unit of work writes. */
  readonly hooks?: Hooks;
  /**
   * The rule for reading what no query of a unit of work has brought, where neither it nor the query says; "load" by
   * default.
   */
  readonly outside?: OutsideRule;
  /**
   * Whether the verbs of the database itself, called inside of a transaction's work, are part of the transaction; false
   * by default. It follows asynchronous calls, where the platform can: not in a browser.
   */
  readonly ambient?: boolean;
  /** Milliseconds since any moment, for the times in a ledger; `performance.now` by default. */
  readonly clock?: () => number;
}

/** The state that all handles of one database share, and the values of this one for standing conditions. */
interface SharedByHandles {
  readonly sender: Sender;
  readonly compiler: Compiler;
  readonly values: ParameterValues;
  readonly ambience: Ambience | undefined;
}

/** A database that queries are run on. Made by `database(driver)`. */
export class Database extends Verbs {
  /** The dialect that it speaks. */
  readonly dialect: Dialect;
  /** @internal */
  readonly [connectionKey]: Connection;
  /** @internal */
  readonly [handleValues]: ParameterValues | undefined;
  readonly #place: TransactionPlace;
  readonly #working: WorkOptions;
  readonly #made: Omit<SharedByHandles, "values"> & { readonly driver: Driver; readonly options: DatabaseOptions };
  readonly #current: (() => Transaction | undefined) | undefined;

  /** @internal */
  constructor(driver: Driver, options: DatabaseOptions, shared?: SharedByHandles) {
    const { how = "auto", generateCode = canGenerateCode(), clock = now, snapshot = false, ambient = false } = options;
    const isTrusting = options.trustConstraints === true;
    if (!strategies.includes(how)) throw new GemachError("STRATEGY_UNKNOWN", { given: String(how), known: strategies });
    const { outside } = options;
    if (outside !== undefined && !outsideRules.includes(outside))
      throw new GemachError("OUTSIDE_UNKNOWN", { given: String(outside), known: outsideRules });
    const { roundTrip = 0 } = options;
    if (!(typeof roundTrip === "number" && roundTrip >= 0))
      throw new GemachError("VALUE_UNFIT", {
        column: "roundTrip of database()",
        expected: "a number of milliseconds, 0 or more",
        got: typeWord(roundTrip),
      });
    const { dialect } = driver;
    const sender = shared?.sender ?? poolSender(driver, watch(clock));
    const compiler = shared?.compiler ?? new Compiler(dialect, { how, generateCode, isTrusting, roundTrip });
    const values = shared?.values;
    const own: Context = { compiler, sender, isSnapshot: snapshot, isReadOnly: false, isTransaction: false, values };
    const around = ambient ? (shared?.ambience ?? ambience()) : undefined;
    const joined = around === undefined ? undefined : joining(own, around);
    super(joined?.context ?? own);
    this.dialect = dialect;
    this.#working = given({ outside: options.outside });
    this.#current = joined?.current;
    const join: Joining = joined?.join ?? ((_tx, _context, work) => work());
    this.#place = { driver, compiler, watch: sender.watch, clock, join, values, hooks: options.hooks };
    this.#made = { driver, options, sender, compiler, ambience: around };
    this[handleValues] = values;
    this[connectionKey] = { sender, dialect, clock };
  }

  /**
   * Does work in one transaction, on one connection: it commits at the end of the work, and rolls back where the work
   * throws; the error comes out as it is. The work gets a handle with every verb of a database, and uses that one
   * alone. Inside of a transaction that was opened on the driver's own handle (SQLite, PGlite), it is a savepoint.
   * @throws GemachError `OPTION_UNKNOWN`, `ENGINE_UNABLE` for a level that the engine has not, `COMMIT_UNKNOWN` where
   * the connection was lost in the middle of the commit, `AFTER_COMMIT_FAILED`
   */
  override async transaction<R>(work: TransactionWork<R>, options: TransactionOptions = {}): Promise<R> {
    return await this.#transaction(work, options, this.#at(Database.prototype.transaction));
  }

  /** The line of code that called a verb, where somebody watches. */
  #at(verb: unknown): CallSite | undefined {
    return this.#place.watch.isWatched() ? callSite(verb, 3) : undefined;
  }

  /**
   * The plan by which the database executes each statement of some work, also of what writes. The work is run, in a
   * transaction that is always rolled back; each statement is explained right before it is sent. With `analyze` it is
   * measured too, for which servers run it twice. Sequences and counters of keys go on, as the engines undo none of
   * theirs.
   * @throws GemachError `OPTION_UNKNOWN`, and what the work throws
   */
  async explainWork(
    work: TransactionWork<unknown>,
    options: Pick<ExplainOptions, "analyze"> = {},
  ): Promise<readonly ExplainedStatement[]> {
    expectOptions("explainWork", options, ["analyze"]);
    const found: ExplainedStatement[] = [];
    const { explainingDriver } = await onDemand();
    const driver = explainingDriver(this.#place.driver, options.analyze === true, found);
    const transaction = <R>(inner: TransactionWork<R>) =>
      runTransaction({ ...this.#place, driver }, inner, {}, undefined);
    await undone({ transaction }, work);
    return found;
  }

  async #transaction<R>(work: TransactionWork<R>, options: TransactionOptions, at: CallSite | undefined): Promise<R> {
    const current = this.#current?.();
    if (current === undefined) return await runTransaction(this.#place, work, options, at);
    return await current.transaction(work, options);
  }

  /**
   * A handle of the same database that gives values to standing conditions: `db.as({ tenant: 7 })`. What it reads is
   * restricted to them, and so is what it writes.
   */
  as(values: GivenValues): Database {
    const { driver, options, ...shared } = this.#made;
    return new Database(driver, options, { ...shared, values: givenWith(this.#place.values, values) });
  }

  /**
   * A unit of work: a transaction in which each row is one live entity, whatever query brings it. What is changed,
   * added and removed is written at its end; where the work throws, nothing is.
   * @throws GemachError as of `transaction`, and `CONFLICT`, `WORK_FAILED`, and what writing throws
   */
  async work<R>(work: Work<R>, options: TransactionOptions & WorkOptions = {}): Promise<R> {
    expectOptions("work", options, [...workNames, ...transactionOptionNames]);
    const { outside, cohort, flushes, ...others } = options;
    const settings = { ...this.#working, ...given({ outside, cohort, flushes }) };
    return await this.#transaction((tx) => tx.working(work, settings), others, this.#at(Database.prototype.work));
  }
}

const workNames: readonly (keyof WorkOptions)[] = ["outside", "cohort", "flushes"];

/** Settings without those that are left out. */
const given = (options: { readonly [P in keyof WorkOptions]: WorkOptions[P] | undefined }): WorkOptions =>
  Object.fromEntries(Object.entries(options).filter(([, value]) => value !== undefined));

/** A database or a transaction on it: what code that works with either takes. */
export type AnyDatabase = Database | Transaction;

const knownOptions: readonly (keyof DatabaseOptions)[] = [
  "how",
  "generateCode",
  "clock",
  "snapshot",
  "trustConstraints",
  "roundTrip",
  "ambient",
  "outside",
  "hooks",
];

/** Where a recorder of all databases of a program waits for them: `gemach audit -- command` puts one there. */
export const announceKey = Symbol.for("gemach.announce");

/**
 * A database over a driver: `database(sqlite(handle))`. It opens nothing and sends nothing by itself.
 * @throws GemachError `OPTION_UNKNOWN`, `STRATEGY_UNKNOWN`
 */
export function database(driver: Driver, options: DatabaseOptions = {}): Database {
  expectOptions("database", options, knownOptions);
  expectOptions("hooks of database()", options.hooks, ["beforeWrite", "afterWrite"]);
  const db = new Database(driver, options);
  const announce = (globalThis as { readonly [announceKey]?: unknown })[announceKey];
  if (typeof announce === "function") announce(db[connectionKey]);
  return db;
}
