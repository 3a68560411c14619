import { expectOptions, GemachError } from "../errors/index.js";
import { type ParameterValues, standingHole } from "../ir/index.js";
import {
  type Compiler,
  type Connection,
  type Context,
  connectionKey,
  type Isolation,
  type Limits,
  limitNames,
  orStopped,
  type Session,
  type SessionSender,
  type Stop,
  savepointName,
  sendOwn,
  sessionSender,
  stopOf,
  undoQuietly,
  Verbs,
  type Watch,
} from "../run/index.js";
import { type Dialect, handleValues } from "../sql/index.js";
import type { Hooks, UnitOfWork as WorkOn, WorkOptions } from "../work/index.js";
import type { Budget } from "./budget.js";

/** Work in a transaction: what it gives is what the transaction gives. */
export type TransactionWork<R> = (tx: Transaction) => Promise<R>;

/**
 * A unit of work: one transaction, in which each row is one live entity. What is changed, added and removed is written
 * at its end, or by `flush`. Made by `db.work()`, and of no use after its end; its entities stay readable for what is
 * loaded. `tx`: the transaction itself, with plain rows.
 */
export interface UnitOfWork extends WorkOn<Transaction> {}

/** Work with live entities: what it gives is what the unit of work gives. */
export type Work<R> = (w: UnitOfWork) => Promise<R>;

type WorkRoom = typeof import("../work/index.js");
let workRoom: WorkRoom | undefined;

/** What units of work are made of, a tenth of the library: read when the first one is opened. */
async function readWorkRoom(): Promise<WorkRoom> {
  workRoom = await import("../work/index.js");
  return workRoom;
}

/** Runs work, so that verbs of the database itself join a transaction, where that is asked for. */
export type Joining = <R>(tx: Transaction, context: Context, work: () => Promise<R>) => Promise<R>;

/** The state that all handles of one transaction share. */
export interface Shared {
  readonly session: Session;
  readonly compiler: Compiler;
  readonly watch: Watch;
  readonly clock: () => number;
  readonly isReadOnly: boolean;
  /** The level that it was begun with; undefined: the engine's own. */
  readonly isolation: Isolation | undefined;
  readonly join: Joining;
  readonly values: ParameterValues | undefined;
  readonly hooks: Hooks | undefined;
}

/** Values for standing conditions, by the names that the model has for them. */
export type GivenValues = Readonly<Record<string, string | number | bigint | boolean>>;

/** Returns the values of a handle for standing conditions, with those that it had before. */
export const givenWith = (before: ParameterValues | undefined, values: GivenValues): ParameterValues =>
  new Map([...(before ?? []), ...Object.entries(values).map(([name, value]) => [standingHole(name), value] as const)]);

/** Where a handle stands: in use, lent to a transaction inside of it, or at its end. */
interface State {
  at: "open" | "lent" | "ended";
  readonly afterwards: (() => unknown)[];
}

/** The result of a transaction, and what is to be done after its commit. */
export interface Worked<R> {
  readonly result: R;
  readonly afterwards: readonly (() => unknown)[];
}

/**
 * Does work with a handle of its own, until it is time to stop. Nothing is on its way any more when it ends: what the
 * work has begun and not awaited is waited for, and takes no further statement.
 */
export async function workWith<R>(
  shared: Shared,
  stop: Stop | undefined,
  work: TransactionWork<R>,
): Promise<Worked<R>> {
  const state: State = { at: "open", afterwards: [] };
  const sender = sessionSender(shared.session, shared.watch, () => refuseEnded(state), stop);
  const { compiler, isReadOnly, values } = shared;
  const context: Context = { compiler, sender, isSnapshot: false, isReadOnly, isTransaction: true, values };
  const tx = new Transaction(shared, state, sender, context);
  try {
    const working = shared.join(tx, context, () => work(tx));
    const result = await (stop === undefined ? working : orStopped(stop, working));
    const rest = sender.settled();
    if (rest !== undefined) await rest;
    stop?.check();
    return { result, afterwards: state.afterwards };
  } finally {
    state.at = "ended";
    const rest = sender.settled();
    if (rest !== undefined) await rest;
  }
}

/** A transaction: every verb of a database, on one connection. Made by `transaction()`, and of no use after its end. */
export class Transaction extends Verbs {
  /** The dialect that it speaks. */
  readonly dialect: Dialect;
  readonly #shared: Shared;
  readonly #state: State;
  readonly #sender: SessionSender;
  readonly #context: Context;

  /** @internal */
  constructor(shared: Shared, state: State, sender: SessionSender, context: Context) {
    const { compiler } = shared;
    super(context);
    this.#shared = shared;
    this.#sender = sender;
    this.#context = context;
    this.#state = state;
    this.dialect = compiler.runtime.dialect;
  }

  /** @internal */
  get [handleValues](): ParameterValues | undefined {
    return this.#shared.values;
  }

  /** @internal */
  get [connectionKey](): Connection {
    return { sender: this.#sender, dialect: this.dialect, clock: this.#shared.clock };
  }

  /**
   * Does work in a transaction inside of this one, a savepoint: what fails in it is undone alone. Its own handle is to
   * be used meanwhile, and not this one.
   * @throws GemachError `OPTION_UNKNOWN`, `ABORTED`, `TIME_LIMIT_PASSED`
   */
  override async transaction<R>(work: TransactionWork<R>, options: TransactionOptions = {}): Promise<R> {
    expectOptions("transaction", options, transactionOptionNames);
    refuseEnded(this.#state);
    if (options.isolation !== undefined) await refuseWeaker(this.#shared, this.#sender, options.isolation);
    // A savepoint of a verb that is on its way would end this one with it.
    await this.#sender.free();
    refuseEnded(this.#state);
    const { session } = this.#shared;
    const name = savepointName();
    const stop = stopOf(options, "transaction", this.#sender.stop);
    this.#state.at = "lent";
    try {
      await session.savepoint(name);
      const { result, afterwards } = await workWith(await withinOptions(this.#shared, options), stop, work);
      await session.release(name);
      this.#state.afterwards.push(...afterwards);
      return result;
    } catch (error) {
      await undoQuietly(session, name);
      throw error;
    } finally {
      stop.end();
      if (this.#state.at === "lent") this.#state.at = "open";
    }
  }

  /**
   * A unit of work inside of this transaction: see `db.work()`.
   * @throws GemachError `OPTION_UNKNOWN`, and what writing its changes throws
   */
  async work<R>(work: Work<R>, options: WorkOptions & TransactionOptions = {}): Promise<R> {
    const { workOptionNames } = workRoom ?? (await readWorkRoom());
    expectOptions("work", options, [...workOptionNames, ...transactionOptionNames]);
    const { outside, cohort, flushes, ...others } = options;
    const settings = Object.fromEntries(
      Object.entries({ outside, cohort, flushes }).filter(([, value]) => value !== undefined),
    ) as WorkOptions;
    return await this.transaction((tx) => tx.working(work, settings), others);
  }

  /** A handle of the same transaction that gives values to standing conditions: see `db.as()`. */
  as(values: GivenValues): Transaction {
    const all = givenWith(this.#shared.values, values);
    return new Transaction({ ...this.#shared, values: all }, this.#state, this.#sender, {
      ...this.#context,
      values: all,
    });
  }

  /** Makes a handle of this transaction for a handle that gives these values. @internal */
  givenBy(values: ParameterValues | undefined): Transaction {
    if (values === this.#shared.values) return this;
    return new Transaction({ ...this.#shared, values }, this.#state, this.#sender, { ...this.#context, values });
  }

  /** A unit of work of this very transaction. @internal */
  async working<R>(work: Work<R>, options: WorkOptions): Promise<R> {
    const { openWork } = workRoom ?? (await readWorkRoom());
    const { w, finish, end } = openWork(this.#context, this, options, this.#shared.hooks, (later) =>
      this.afterCommit(later),
    );
    try {
      const result = await work(w);
      await finish();
      return result;
    } finally {
      end();
    }
  }

  /** Has something done once the whole transaction is committed; nothing is if it is not. */
  afterCommit(work: () => unknown): void {
    refuseEnded(this.#state);
    this.#state.afterwards.push(work);
  }
}

/** Settings of a transaction. Inside of another one, that one's count where they are at least as strong. */
export interface TransactionOptions extends Limits {
  /**
   * The isolation level; the engine's own where it is left out. Inside of another transaction: the least that that one
   * must have.
   */
  readonly isolation?: Isolation;
  /** Whether it writes nothing: verbs that write are refused. */
  readonly readOnly?: boolean;
  /**
   * How often the work is run again from its start where the database could not put it in an order with others
   * (`SERIALIZATION_FAILED`, `DEADLOCK`), or a prepared statement's table had changed (`PREPARED_OUTDATED`); 0 by
   * default. Before the n-th time it waits up to 10 · 2ⁿ milliseconds, by chance. Those of the outermost transaction
   * count, since all of it is to run again.
   */
  readonly retries?: number;
  /**
   * The most statements that it may send before it throws `BudgetError`, or the most statements, rows and milliseconds;
   * each run of the work has all of it.
   */
  readonly budget?: Budget;
}

/** The names of a transaction's options. */
export const transactionOptionNames: readonly (keyof TransactionOptions)[] = [
  ...(["isolation", "readOnly", "retries", "budget"] as const),
  ...limitNames,
];

const strengths: readonly string[] = ["read uncommitted", "read committed", "repeatable read", "serializable"];

/**
 * Refuses a level that the transaction around does not have; a server that may have been told another default is asked.
 * @throws GemachError `TRANSACTION_WEAKER`
 */
async function refuseWeaker({ isolation, compiler }: Shared, sender: SessionSender, wanted: Isolation): Promise<void> {
  const { isolationText } = compiler.runtime.dialect;
  if (isolationText === undefined) return;
  let has: string | undefined = isolation;
  if (has === undefined) {
    const [row] = await sendOwn(sender, isolationText, "isolation level");
    has = String(row?.[0]).toLowerCase().replaceAll("-", " ");
  }
  if (strengths.indexOf(has) < strengths.indexOf(wanted)) throw new GemachError("TRANSACTION_WEAKER", { wanted, has });
}

/** What the handles of a transaction inside of another one share. */
async function withinOptions(shared: Shared, { readOnly, budget }: TransactionOptions): Promise<Shared> {
  const isReadOnly = shared.isReadOnly || readOnly === true;
  if (budget === undefined) return isReadOnly === shared.isReadOnly ? shared : { ...shared, isReadOnly };
  const { budgeted } = await import("./spending.js");
  return { ...shared, isReadOnly, watch: budgeted(shared.watch, budget, shared.compiler.runtime.dialect) };
}

function refuseEnded({ at }: State): void {
  if (at !== "open") throw new GemachError("TRANSACTION_ENDED", { isLent: at === "lent" });
}
