import type { QueryState } from "../expression/index.js";
import type { PlanSettings, RowPlan, StatementPlan } from "../plan/index.js";
import { type CompiledStatement, compile, type Dialect } from "../sql/index.js";
import type { ConstructorOf } from "./gather.js";
import { type RowConstructor, rowConstructors } from "./row-constructor.js";

/** What turns a query into a statement's plan. */
export type Planner = (query: QueryState, settings: PlanSettings) => StatementPlan;

/** Gives the statement of a query, compiled once for as long as the query is kept. */
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
      byQuery.set(query, known);
    }
    return known;
  };
}

/** Gives the constructor of a plan's rows, made once for as long as the plan is kept. */
export function constructorCache(dialect: Dialect, generateCode: boolean): ConstructorOf {
  const make = rowConstructors(dialect, generateCode);
  const made = new WeakMap<RowPlan, RowConstructor>();
  const constructorOf = (plan: RowPlan) => {
    let known = made.get(plan);
    if (known === undefined) {
      known = make(plan.shape);
      made.set(plan, known);
    }
    return known;
  };
  return Object.assign(constructorOf, { fromJson: dialect.fromJson });
}
