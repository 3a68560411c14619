import type { Given, Past, QueryState, ResolvedEntity, Strategy } from "../expression/index.js";
import type { PlanSettings, RowPlan, StatementPlan, WritePlan } from "../plan/index.js";
import {
  type CompiledStatement,
  compile,
  type Dialect,
  type EncodedStatement,
  encodeParameter,
  factsOf,
  printChange,
} from "../sql/index.js";
import type { ConstructorOf, Runtime } from "./gather.js";
import { type RowConstructor, rowConstructors } from "./row-constructor.js";
import {
  changeShapeOf,
  changeWithoutValues,
  filled,
  isFilledAlone,
  shapeOf,
  withoutValues,
  withValues,
} from "./shapes.js";

/** What turns a query into a statement's plan. */
export type Planner = (query: QueryState, settings: PlanSettings) => StatementPlan;

/** A change as it is printed, before it has values. */
type PrintedChange = ReturnType<typeof printChange>;

/** Settings that all statements of a database share. */
export interface CompilerOptions {
  readonly how: Strategy;
  readonly generateCode: boolean;
  readonly isTrusting: boolean;
  /** How many milliseconds a statement is on its way to the server and back. */
  readonly roundTrip: number;
}

/** Verbs whose statements are shared by queries of one shape. */
const shapedUses: ReadonlySet<string> = new Set(["list", "single", "count", "exists"]);

/** How many shapes of an entity's queries, and of `db.reach`, are kept; a program has far fewer. */
const mostShapes = 1000;

/** What is kept by entity and key. */
type Kept<V> = WeakMap<ResolvedEntity, Map<string, V>>;

function ofEntity<V>(kept: Kept<V>, entity: ResolvedEntity): Map<string, V> {
  const known = kept.get(entity);
  if (known !== undefined) return known;
  const made = new Map<string, V>();
  kept.set(entity, made);
  return made;
}

function keep<V>(known: Map<string, V>, key: string, value: V): void {
  if (known.size >= mostShapes) known.clear();
  known.set(key, value);
}

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
  readonly #constructors = new WeakMap<RowPlan, RowConstructor>();
  readonly #shapes: Kept<CompiledStatement | undefined> = new WeakMap();
  readonly #changes: Kept<PrintedChange> = new WeakMap();
  readonly #reached: Kept<QueryState> = new WeakMap();

  constructor(dialect: Dialect, { how, generateCode, isTrusting, roundTrip }: CompilerOptions) {
    this.settings = { strategy: how, isTrusting, ...factsOf(dialect, roundTrip) };
    this.generatesCode = generateCode;
    const make = rowConstructors(dialect, generateCode);
    const constructorOf: ConstructorOf = (plan) => {
      let known = this.#constructors.get(plan);
      if (known === undefined) {
        known = make(plan.shape);
        if (isUsedAgain(plan)) this.#constructors.set(plan, known);
      }
      return known;
    };
    this.runtime = { dialect, constructorOf };
  }

  /** The statement that a planner makes of a query; of a template's the same one for all that it is run with. */
  compile(query: QueryState, use: string, planner: Planner): CompiledStatement {
    const owner = query.given?.template ?? query;
    return this.kept(owner, use, () => this.#shaped(owner, use, planner) ?? this.fresh(owner, planner));
  }

  /** The statement that queries of one shape share, with the values of this one; undefined where a query has no shape that can be told. */
  #shaped(query: QueryState, use: string, planner: Planner): CompiledStatement | undefined {
    // A query's rows as a source are an entity of their own each time, for which nothing is worth keeping.
    if (!shapedUses.has(use) || query.source.entity.derivation !== undefined) return undefined;
    const shape = shapeOf(query);
    if (shape === undefined) return undefined;
    const { entity } = query.source;
    const known = ofEntity(this.#shapes, entity);
    const key = `${use} ${shape.key}`;
    let statement = known.get(key);
    if (statement === undefined && !known.has(key)) {
      const made = this.fresh(withoutValues(query, shape), planner);
      statement = isFilledAlone(made) ? made : undefined;
      keep(known, key, statement);
    }
    return statement === undefined ? undefined : withValues(statement, shape);
  }

  /** The statement of a change, printed once for all of its shape; undefined where the shape cannot be told. */
  change(plan: WritePlan, given: Given | undefined): EncodedStatement | undefined {
    if (plan.kind !== "update" && plan.kind !== "delete") return undefined;
    const shape = changeShapeOf(plan);
    if (shape === undefined) return undefined;
    const { entity } = plan.query.source;
    const known = ofEntity(this.#changes, entity);
    let printed = known.get(shape.key);
    const { dialect } = this.runtime;
    if (printed === undefined) {
      printed = printChange(changeWithoutValues(plan, shape), dialect);
      keep(known, shape.key, printed);
    }
    const { text, parameters } = printed;
    return {
      text,
      parameters: parameters.map((parameter) => encodeParameter(dialect, filled(parameter, shape), [], given)),
    };
  }

  /** The same, kept nowhere. */
  fresh(query: QueryState, planner: Planner): CompiledStatement {
    return compile(planner(query, this.settings), this.runtime.dialect);
  }

  /** What is made of a query for one use, kept with it from the second time on. */
  kept<T>({ past }: { readonly past: Past }, use: string, make: () => T): T {
    const known = past.made?.get(this)?.get(use);
    if (known !== undefined) return known as T;
    const made = make();
    if (!past.isUsed) {
      past.isUsed = true;
      return made;
    }
    past.made ??= new WeakMap();
    const own = past.made.get(this);
    if (own === undefined) past.made.set(this, new Map([[use, made]]));
    else own.set(use, made);
    return made;
  }

  /** The query of what rows in memory reach: the same one for the same shape, unless functions are in it, which may give others. */
  reached(entity: ResolvedEntity, shape: object, make: () => QueryState): QueryState {
    if (!isPlainShape(shape)) return make();
    const key = JSON.stringify(shape);
    const known = ofEntity(this.#reached, entity);
    let query = known.get(key);
    if (query === undefined) {
      query = make();
      keep(known, key, query);
    }
    return query;
  }
}

/** Whether something is used again. */
function isUsedAgain({ past }: { readonly past: Past }): boolean {
  const { isUsed } = past;
  past.isUsed = true;
  return isUsed;
}

/** Whether a shape is made of true and further such shapes. */
const isPlainShape = (shape: unknown): boolean =>
  shape === true || (typeof shape === "object" && shape !== null && Object.values(shape).every(isPlainShape));
