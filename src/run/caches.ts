import type { Past, QueryState } from "../expression/index.js";
import type { PlanSettings, RowPlan, StatementPlan } from "../plan/index.js";
import { type CompiledStatement, compile, type Dialect } from "../sql/index.js";
import type { ConstructorOf } from "./gather.js";
import { type RowConstructor, rowConstructors } from "./row-constructor.js";

/** What turns a query into a statement's plan. */
export type Planner = (query: QueryState, settings: PlanSettings) => StatementPlan;

/**
 * Whether something is used again. What is used once is not worth a place in a WeakMap, which the garbage collector has
 * to look after: that took half of the time of a query that is built anew (SQLite, one row by its key).
 */
function isUsedAgain({ past }: { readonly past: Past }): boolean {
  const { isUsed } = past;
  past.isUsed = true;
  return isUsed;
}

/** Gives the statement of a query, kept as long as the query is where that is used again. */
export type StatementCache = (query: QueryState, planner: Planner) => CompiledStatement;

/** Compiles queries for a dialect. */
export function statementCache(dialect: Dialect, settings: PlanSettings): StatementCache {
  const byPlanner = new Map<Planner, WeakMap<QueryState, CompiledStatement>>();
  return (query, planner) => {
    let byQuery = byPlanner.get(planner);
    if (byQuery === undefined) {
      byQuery = new WeakMap();
      byPlanner.set(planner, byQuery);
    }
    let known = byQuery.get(query);
    if (known === undefined) {
      known = compile(planner(query, settings), dialect);
      if (isUsedAgain(query)) byQuery.set(query, known);
    }
    return known;
  };
}

/** Gives the constructor of a plan's rows, kept as long as the plan is where that is used again. */
export function constructorCache(dialect: Dialect, generateCode: boolean): ConstructorOf {
  const make = rowConstructors(dialect, generateCode);
  const made = new WeakMap<RowPlan, RowConstructor>();
  const constructorOf = (plan: RowPlan) => {
    let known = made.get(plan);
    if (known === undefined) {
      known = make(plan.shape);
      if (isUsedAgain(plan)) made.set(plan, known);
    }
    return known;
  };
  return Object.assign(constructorOf, { fromJson: dialect.fromJson });
}
