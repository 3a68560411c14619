import { derived } from "../../columns/index.js";
import type { ParameterValues, QueryMemo, QueryState, ResolvedEntity, Strategy } from "../../ir/index.js";
import type { DeletePlan, PlanSettings, StatementPlan, UpdatePlan, WritePlan } from "../../plan/index.js";
import {
  type CompiledStatement,
  compile,
  type Dialect,
  type EncodedStatement,
  encodeParameter,
  factsOf,
  printChange,
} from "../../sql/index.js";
import type { ConstructorOf, Runtime } from "../rows/gather.js";
import { type RowConstructor, rowConstructors } from "../rows/row-constructor.js";
import { changeWithoutValues, parameterFiller, statementFiller, type Values, withoutValues } from "./holes.js";
import { keyOfChange, keyOfQuery } from "./key.js";
import { Trie } from "./trie.js";

/** Makes a statement's plan of a query. */
export type Planner = (query: QueryState, settings: PlanSettings) => StatementPlan;

/** Makes the statement of a change from its values, for all changes of one key. */
type ChangeMaker = (values: Values, given: ParameterValues | undefined) => EncodedStatement;

/** Makes the statement of a query from its values, for all queries of one key. */
type StatementMaker = (values: Values) => CompiledStatement;

/** Settings that all statements of a database share. */
export interface CompilerOptions {
  readonly how: Strategy;
  readonly generateCode: boolean;
  readonly isTrusting: boolean;
  /** How many milliseconds a statement is on its way to the server and back. */
  readonly roundTrip: number;
}

/** How many shapes of `db.reach` are kept of an entity; a program has far fewer. */
const mostReached = 1000;

/**
 * Turns queries into statements, and keeps them with the query that they belong to: shared by all that sends for one
 * database. What is used once is kept nowhere, since a place in a WeakMap, which the garbage collector has to look
 * after, took half of the time of a query that is built anew (SQLite, one row by its key).
 */
export class Compiler {
  readonly settings: PlanSettings;
  readonly runtime: Runtime;
  /** Whether code may be compiled at run time. */
  readonly generatesCode: boolean;
  readonly #statements = derived((_: ResolvedEntity) => new Trie<StatementMaker>());
  readonly #changes = derived((_: ResolvedEntity) => new Trie<ChangeMaker>());
  readonly #reached = derived((_: ResolvedEntity) => new Map<string, QueryState>());

  constructor(dialect: Dialect, { how, generateCode, isTrusting, roundTrip }: CompilerOptions) {
    this.settings = { strategy: how, isTrusting, ...factsOf(dialect, roundTrip) };
    this.generatesCode = generateCode;
    const make = rowConstructors(dialect, generateCode);
    const constructorOf: ConstructorOf = (plan) => {
      const { maker } = plan;
      if (maker.of !== this) {
        maker.of = this;
        maker.make = make(plan.shape);
      }
      return maker.make as RowConstructor;
    };
    this.runtime = { dialect, constructorOf };
  }

  /**
   * The statement that a planner makes of a query: the same one for all queries of its key and this use, and for all
   * that a template is run with.
   */
  compile(query: QueryState, use: string, planner: Planner): CompiledStatement {
    const owner = query.given?.template ?? query;
    return this.memoized(owner, use, () => this.#shared(owner, use, planner) ?? this.fresh(owner, planner));
  }

  /** The statement that queries of one key share, with the values of this one; undefined if a query has no key. */
  #shared(query: QueryState, use: string, planner: Planner): CompiledStatement | undefined {
    // A query's rows as a source are an entity of their own each time, for which nothing is worth keeping.
    if (query.source.entity.derivation !== undefined) return undefined;
    const { root } = this.#statements(query.source.entity);
    const keyed = keyOfQuery(root, use, query);
    if (keyed === undefined) return undefined;
    const { node, values } = keyed;
    node.value ??= statementMaker(this.fresh(withoutValues(query, values), planner), this.runtime.dialect);
    return node.value(values);
  }

  /** The statement of a change, printed once for all of its key; undefined if it has none. */
  change(plan: WritePlan, given: ParameterValues | undefined): EncodedStatement | undefined {
    if (plan.kind !== "update" && plan.kind !== "delete") return undefined;
    const { root } = this.#changes(plan.query.source.entity);
    const keyed = keyOfChange(root, plan);
    if (keyed === undefined) return undefined;
    const { node, values } = keyed;
    node.value ??= changeMaker(changeWithoutValues(plan, values), this.runtime.dialect);
    return node.value(values, given);
  }

  /** Compiles a query, and keeps nothing of it. */
  fresh(query: QueryState, planner: Planner): CompiledStatement {
    return compile(planner(query, this.settings), this.runtime.dialect);
  }

  /** What is made of a query for one use, kept with it from the second time on. */
  memoized<T>({ memo }: { readonly memo: QueryMemo }, use: string, make: () => T): T {
    const known = memo.made?.get(this)?.get(use);
    if (known !== undefined) return known as T;
    const made = make();
    if (!memo.isUsed) {
      memo.isUsed = true;
      return made;
    }
    memo.made ??= new WeakMap();
    const own = memo.made.get(this);
    if (own === undefined) memo.made.set(this, new Map([[use, made]]));
    else own.set(use, made);
    return made;
  }

  /**
   * The query of what rows in memory reach: the same one for the same shape, unless functions are in it, which may give
   * others.
   */
  reached(entity: ResolvedEntity, shape: object, make: () => QueryState): QueryState {
    if (!isPlainShape(shape)) return make();
    const key = JSON.stringify(shape);
    const known = this.#reached(entity);
    let query = known.get(key);
    if (query === undefined) {
      query = make();
      if (known.size >= mostReached) known.clear();
      known.set(key, query);
    }
    return query;
  }
}

function statementMaker(statement: CompiledStatement, dialect: Dialect): StatementMaker {
  return statementFiller(statement, dialect) ?? (() => statement);
}

function changeMaker(change: UpdatePlan | DeletePlan, dialect: Dialect): ChangeMaker {
  const { text, parameters } = printChange(change, dialect);
  const fill = parameterFiller(parameters, dialect) ?? (() => parameters);
  return (values, given) => ({
    text,
    parameters: fill(values).map((parameter) => encodeParameter(dialect, parameter, [], given)),
  });
}

/** Whether a shape is made of true and further such shapes. */
const isPlainShape = (shape: unknown): boolean =>
  shape === true || (typeof shape === "object" && shape !== null && Object.values(shape).every(isPlainShape));
