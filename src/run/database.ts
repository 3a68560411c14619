import { typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type Strategy, strategies } from "../expression/index.js";
import type { Dialect } from "../sql/index.js";
import { Compiler } from "./compiler.js";
import type { Driver } from "./driver.js";
import { now } from "./platform.js";
import { canGenerateCode } from "./row-constructor.js";
import { poolSender, type Sender } from "./sender.js";
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
  /** Milliseconds since any moment, for the times in a ledger; `performance.now` by default. */
  readonly clock?: () => number;
}

/** What the rooms that send statements of their own, or watch those of others, know of a database. */
export interface Connection {
  readonly sender: Sender;
  readonly dialect: Dialect;
  readonly clock: () => number;
}

const connections = new WeakMap<Database, Connection>();

/** The connection of a database, for the rooms that send statements of their own. @internal */
export function connectionOf(db: Database, call: string): Connection {
  const connection = connections.get(db);
  if (connection === undefined) throw new GemachError("DATABASE_EXPECTED", { call, got: typeWord(db) });
  return connection;
}

/** A database that queries are run on. Made by `database(driver)`. */
export class Database extends Verbs {
  /** The dialect that it speaks. */
  readonly dialect: Dialect;

  /** @internal */
  constructor(driver: Driver, options: DatabaseOptions) {
    const { how = "auto", generateCode = canGenerateCode(), clock = now, snapshot = false } = options;
    const isTrusting = options.trustConstraints === true;
    if (!strategies.includes(how)) throw new GemachError("STRATEGY_UNKNOWN", { given: String(how), known: strategies });
    const { dialect } = driver;
    const sender = poolSender(driver, watch(clock));
    super({ compiler: new Compiler(dialect, { how, generateCode, isTrusting }), sender, isSnapshot: snapshot });
    this.dialect = dialect;
    connections.set(this, { sender, dialect, clock });
  }
}

const knownOptions: readonly (keyof DatabaseOptions)[] = [
  "how",
  "generateCode",
  "clock",
  "snapshot",
  "trustConstraints",
];

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
