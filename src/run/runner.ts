import type { QueryState, Strategy } from "../expression/index.js";
import { type PlanSettings, planCount } from "../plan/index.js";
import type { CompiledStatement } from "../sql/index.js";
import { constructorCache, type Planner, type StatementCache, statementCache } from "./caches.js";
import { callSite } from "./call-site.js";
import { type Connection, connect, type RunOptions } from "./connection.js";
import type { Driver } from "./driver.js";
import { fetch, isAlone, objectsOf, type Runtime, requestOf } from "./fetch.js";
import type { Steps } from "./steps.js";

/** Settings of a database that verbs go by. */
export interface RunnerOptions {
  readonly how: Strategy;
  readonly generateCode: boolean;
  readonly clock: () => number;
  readonly snapshot: boolean;
}

/** What the verbs of a database have in common: statements compiled once, and the connection that they go over. */
export class Runner {
  readonly connection: Connection;
  readonly runtime: Runtime;
  readonly settings: PlanSettings;
  readonly #compiled: StatementCache;
  readonly #isSnapshot: boolean;

  constructor(driver: Driver, { how, generateCode, clock, snapshot }: RunnerOptions) {
    this.#isSnapshot = snapshot;
    this.connection = connect(driver, clock);
    const { dialect } = this.connection;
    this.settings = { strategy: how };
    this.#compiled = statementCache(dialect, this.settings);
    this.runtime = { dialect, constructorOf: constructorCache(dialect, generateCode) };
  }

  /** The statement of a query; of a template's the same one for all that it is run with. */
  compile(query: QueryState, planner: Planner): CompiledStatement {
    return this.#compiled(query.given?.template ?? query, planner);
  }

  /** The rows of one statement that feeds no other, without the machinery that others need; undefined where it does. */
  alone(statement: CompiledStatement, state: QueryState): readonly unknown[] | Promise<readonly unknown[]> | undefined {
    if (!isAlone(statement) || this.connection.isObserved()) return undefined;
    const runtime = this.runtime;
    const answer = this.connection.send(requestOf(statement, runtime, [], state.given?.values));
    return answer instanceof Promise
      ? answer.then((rows) => objectsOf(statement, rows, runtime))
      : objectsOf(statement, answer, runtime);
  }

  /** Several statements see one state where that is wished, or costs nothing. */
  together({ isSnapshot }: QueryState, isSeveral: boolean): "snapshot" | "free" | "no" {
    if (!isSeveral) return "no";
    return isSnapshot || this.#isSnapshot ? "snapshot" : "free";
  }

  /** Sends what the steps ask for. */
  run<R>(steps: () => Steps<R>, together: RunOptions["together"]): R | Promise<R> {
    const at = this.connection.isObserved() ? callSite() : undefined;
    return this.connection.run(steps, { at, together });
  }

  /** Counts the rows of a query. */
  countSteps(state: QueryState): () => Steps<number> {
    const statement = this.compile(state, planCount);
    const runtime = this.runtime;
    return function* (): Steps<number> {
      const [count] = yield* fetch(statement, runtime, state.given?.values);
      return count as number;
    };
  }
}
