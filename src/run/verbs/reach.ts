import { checked } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import { type ParameterValues, type QueryState, qualified, type ResolvedColumn, valueAt } from "../../ir/index.js";
import { few, type Output, type PlanSettings, planReach, type StatementPlan } from "../../plan/index.js";
import { type CompiledStatement, compile, type Dialect, type Wire } from "../../sql/index.js";
import { fetchFollowUps } from "../rows/fetch.js";
import type { Gathered, Runtime } from "../rows/gather.js";
import type { Steps } from "../sessions/steps.js";
import type { Limits } from "../sessions/stop.js";
import type { VerbOrigin } from "../watching/origin.js";
import { type Context, run, valuesFor } from "./context.js";
import { togetherFor } from "./reading.js";

/** A plan for rows in memory, and their follow-ups. */
interface ReachPlan {
  readonly plan: Pick<StatementPlan, "rows" | "outputs">;
  readonly followUps: CompiledStatement["followUps"];
}

/** Compiles what rows in memory are to reach. */
function compileReach(query: QueryState, settings: PlanSettings, dialect: Dialect): ReachPlan {
  const plan = planReach(query, settings);
  return {
    plan,
    followUps: new Map(plan.rows.followUps.map((followUp) => [followUp, compile(followUp.statement, dialect)])),
  };
}

const columnOf = (output: Output): ResolvedColumn => (output as Extract<Output, { kind: "column" }>).column;

/** What the database would have sent for the key columns of a row. */
function wiresOf(row: object, outputs: readonly Output[], dialect: Dialect): readonly Wire[] {
  return outputs.map((output) => {
    const column = columnOf(output);
    const value = valueAt(row, column.steps);
    if (value === undefined) throw new GemachError("ROW_KEYLESS", { column: qualified(column) });
    const canonical = value === null ? null : checked(value, column.type, qualified(column));
    return dialect.wire.keyOnWire(canonical, column.type);
  });
}

/** Copies of rows in memory with what a query of their entity reaches. */
export async function completed(
  context: Context,
  state: QueryState,
  rows: readonly object[],
  origin: VerbOrigin,
  limits: Limits,
): Promise<object[]> {
  const { compiler } = context;
  const isLarge = rows.length > few;
  const plan = compiler.memoized(state, isLarge ? "reach of many" : "reach", () =>
    compileReach(state, { ...compiler.settings, isLarge }, compiler.runtime.dialect),
  );
  const atomicity = togetherFor(context, state, plan.followUps.size > 1);
  return await run(
    context,
    () => reachRows(plan, rows, compiler.runtime, valuesFor(context, state)),
    atomicity,
    origin,
    limits,
  );
}

function* reachRows(
  { plan, followUps }: ReachPlan,
  rows: readonly object[],
  runtime: Runtime,
  given: ParameterValues | undefined,
): Steps<object[]> {
  const make = runtime.constructorOf(plan.rows);
  const wires = rows.map((row) => wiresOf(row, plan.outputs, runtime.dialect));
  const objects = rows.map((row, i) => ({ ...row, ...(make(wires[i] as readonly Wire[]) as object) }));
  const gathered: Gathered = { plan: plan.rows, objects, rows: wires, nested: [] };
  yield* fetchFollowUps({ followUps }, gathered, runtime, given);
  return objects;
}
