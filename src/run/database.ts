import { GemachError } from "../errors/index.js";
import { type Strategy, strategies } from "../expression/index.js";
import type { DialectName } from "../sql/index.js";
import type { Connection } from "./connection.js";
import type { Driver } from "./driver.js";
import { now } from "./platform.js";
import { canGenerateCode } from "./row-constructor.js";
import { Runner } from "./runner.js";
import { Verbs } from "./verbs.js";

/** Settings of a database. */
export interface DatabaseOptions {
  /** The strategy where neither query nor model says otherwise; "auto" by default. */
  readonly how?: Strategy;
  /** Whether row constructors may be compiled to code; by default, where the platform allows it. */
  readonly generateCode?: boolean;
  /** Whether all statements of one query see one state of the data; on SQLite they always do. */
  readonly snapshot?: boolean;
  /** Milliseconds since any moment, for the times in a ledger; `performance.now` by default. */
  readonly clock?: () => number;
}

const connections = new WeakMap<Database, Connection>();

/** The connection of a database, for the rooms that send statements of their own. @internal */
export function connectionOf(db: Database): Connection {
  const connection = connections.get(db);
  if (connection === undefined) throw new GemachError("DATABASE_EXPECTED", {});
  return connection;
}

/** A database that queries are run on. Made by `database(driver)`. */
export class Database extends Verbs {
  /** The dialect that it speaks. */
  readonly dialect: DialectName;

  /** @internal */
  constructor(driver: Driver, options: DatabaseOptions) {
    const { how = "auto", generateCode = canGenerateCode(), clock = now, snapshot = false } = options;
    if (!strategies.includes(how)) throw new GemachError("STRATEGY_UNKNOWN", { given: String(how), known: strategies });
    const runner = new Runner(driver, { how, generateCode, clock, snapshot });
    super(runner);
    this.dialect = runner.runtime.dialect.name;
    connections.set(this, runner.connection);
  }
}

const knownOptions: readonly (keyof DatabaseOptions)[] = ["how", "generateCode", "clock", "snapshot"];

/**
 * A database over a driver: `database(sqlite(handle))`. It opens nothing and sends nothing by itself.
 * @throws GemachError `OPTION_UNKNOWN`, `STRATEGY_UNKNOWN`
 */
export function database(driver: Driver, options: DatabaseOptions = {}): Database {
  for (const option of Object.keys(options))
    if (!knownOptions.includes(option as keyof DatabaseOptions))
      throw new GemachError("OPTION_UNKNOWN", { call: "database()", option, known: knownOptions });
  return new Database(driver, options);
}
