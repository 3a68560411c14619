import type { QueryState } from "../../ir/index.js";
import { planCount, planExists, planList } from "../../plan/index.js";
import {
  type Dialect,
  detailOf,
  operationOf,
  type PlanStep,
  qualifiedTable,
  type StatementOrigin,
  stepsIn,
  type TableUse,
  type Wire,
} from "../../sql/index.js";
import type { Planner } from "../cache/compiler.js";
import { fetch, requestOf } from "../rows/fetch.js";
import type { Request, WireRows } from "../sessions/driver.js";
import { now } from "../sessions/now.js";
import type { Sender } from "../sessions/sender.js";
import type { Steps } from "../sessions/steps.js";
import { type Context, valuesFor } from "../verbs/context.js";
import { masked, unmasked } from "./masked.js";
import { controlOrigin, planVerb } from "./origin.js";
import type { BegunStatement } from "./watch.js";

/** Options of an explanation. */
export interface ExplainOptions {
  /** Whether the statements are run, all of them, to measure what happens: rows met, loops, time. */
  readonly analyze?: boolean;
  /** The verb whose statements are asked for; "list" by default. */
  readonly verb?: "list" | "count" | "exists";
}

/** A statement with the plan by which the database executes it. */
export interface ExplainedStatement {
  /** Its purpose. */
  readonly origin: StatementOrigin;
  readonly text: string;
  /** Where all rows come as one JSON value: the select inside of it, which is what is explained. */
  readonly select?: string;
  /** The values as they go over the wire. */
  readonly parameters: readonly Wire[];
  readonly plan: PlanStep;
  /** How many rows it gave, where it was run for that. */
  readonly rows?: number;
  /** How long it took from sending to the last row, where it was run for that. */
  readonly milliseconds?: number;
}

/** Tables of more rows than this are not counted to their end. */
const mostCounted = 100_000;

const origin = controlOrigin("an execution plan");

/** The statement that a request is explained by: as a person would have written it, with its values. */
type Explicable = Pick<Request, "text" | "parameters" | "origin"> & { readonly unpacked?: string | undefined };

/** Which statements may be run to be measured. */
type Measured = "no" | "reads" | "all";

/** How many rows a table has, up to a bound. */
function* countTable({ entity }: TableUse, dialect: Dialect): Steps<number> {
  const table = qualifiedTable(entity, dialect);
  const text = `select count(*) from (select 1 as one from ${table} limit ${mostCounted}) as counted`;
  const [row] = yield { text, parameters: [], origin, once: true };
  return Number(row?.[0] ?? 0);
}

/** The plan of a statement, with the library's names for its tables, and the sizes of those that are scanned. */
export function* planOf(request: Explicable, dialect: Dialect, measured: Measured): Steps<PlanStep> {
  const { ask, read, measures } = dialect.explain;
  const select = request.unpacked ?? request.text;
  const isRun = measured === "all" || (measured === "reads" && operationOf(select, request.origin) === "select");
  const text = ask(select, isRun && measures);
  const plan = read(yield { text, parameters: request.parameters, origin, once: true });
  const uses = new Map<string, TableUse>();
  for (const use of detailOf(request.origin)?.uses() ?? []) {
    uses.set(use.alias, use);
    // SQLite names a table of an attached file with its schema, where the statement gave it no name of its own.
    const { schema } = use.entity;
    if (schema !== undefined) uses.set(`${schema}.${use.alias}`, use);
  }
  const sizes = new Map<string, number>();
  for (const { operation, alias } of stepsIn(plan)) {
    const use = alias === undefined ? undefined : uses.get(alias);
    const isScan = operation === "table scan" || operation === "index scan" || operation === "built index";
    if (use === undefined || !isScan || sizes.has(use.entity.name)) continue;
    sizes.set(use.entity.name, yield* countTable(use, dialect));
  }
  // Servers write values into the conditions of their plans.
  const isSecret = detailOf(request.origin)?.isSecret(request.text) === true;
  const shown = ({ condition, ...step }: PlanStep): PlanStep =>
    isSecret || condition === undefined ? step : { ...step, condition };
  const named = (one: PlanStep): PlanStep => {
    const use = one.alias === undefined ? undefined : uses.get(one.alias);
    const below = one.below.map(named);
    if (use === undefined) return { ...shown(one), below };
    const size = sizes.get(use.entity.name);
    return {
      ...{ ...shown(one), alias: use.alias, entity: use.entity.name, table: use.entity.table },
      ...(size === undefined || one.operation === "seek" ? {} : { tableRows: size }),
      below,
    };
  };
  return named(plan);
}

const planners = { list: planList, count: planCount, exists: planExists } as const;

/** So many rows are fetched to have keys for the statements of relations. */
const sample = 101;

/**
 * Limits a statement to few rows: planned as it is for all of them, so that what follows from it is what would follow.
 */
const sampled =
  (planner: Planner): Planner =>
  (query, settings) => {
    const plan = planner(query, settings);
    const limit = typeof plan.limit === "number" ? Math.min(plan.limit, sample) : (plan.limit ?? sample);
    return { ...plan, limit };
  };

/** A statement with its plan, and what was met where it was run for that. */
export const explainedOf = (
  { origin, text, unpacked, parameters }: Request,
  plan: PlanStep,
  met: Pick<ExplainedStatement, "rows" | "milliseconds">,
): ExplainedStatement => ({
  origin,
  text,
  ...(unpacked === undefined ? {} : { select: unpacked }),
  parameters: masked(parameters, origin, text),
  plan,
  ...met,
});

/** Explains each statement of a verb; those of relations with the keys of rows that are there. */
export function* explainSteps(
  context: Context,
  state: QueryState,
  { verb = "list", analyze = false }: ExplainOptions,
): Steps<readonly ExplainedStatement[]> {
  const { compiler } = context;
  const { runtime } = compiler;
  const { dialect } = runtime;
  const given = valuesFor(context, state);
  const explained: ExplainedStatement[] = [];
  function* explain(request: Request, answer: WireRows | undefined, took: number): Steps<void> {
    const plan = yield* planOf(request, dialect, analyze ? "reads" : "no");
    explained.push(explainedOf(request, plan, answer === undefined ? {} : { rows: answer.length, milliseconds: took }));
  }
  const whole = compiler.fresh(state.given?.template ?? state, planners[verb]);
  if (!analyze) yield* explain(requestOf(whole, runtime, [], given), undefined, 0);
  if (!analyze && whole.followUps.size === 0) return explained;
  const planner = analyze ? planners[verb] : sampled(planners[verb]);
  const steps = fetch(compiler.fresh(state.given?.template ?? state, planner), runtime, given);
  let isFirst = true;
  /** Does what the steps ask for, and explains each statement of it. */
  function* explainAll(asked: Steps<unknown>): Steps<void> {
    for (let step = asked.next(); step.done !== true; ) {
      if ("branches" in step.value) {
        for (const branch of step.value.branches) yield* explainAll(branch);
        step = asked.next([]);
        continue;
      }
      const request = step.value;
      const started = now();
      const answer = yield request;
      const took = now() - started;
      if (analyze || !isFirst) yield* explain(request, analyze ? answer : undefined, took);
      isFirst = false;
      step = asked.next(answer);
    }
  }
  yield* explainAll(steps);
  return explained;
}

/** Whether a database explains a statement. */
export const isExplicable = (text: string, origin: StatementOrigin): boolean => operationOf(text, origin) !== "other";

/**
 * The plan of a statement that was sent; undefined where the database does not explain it. Only what reads is run,
 * where it is to be measured. It is a savepoint where it is inside of a transaction, so that a refusal ends nothing.
 */
export async function explainSent(
  sender: Sender,
  dialect: Dialect,
  { text, select, parameters, origin }: BegunStatement,
  isMeasured: boolean,
): Promise<PlanStep | undefined> {
  if (!isExplicable(text, origin)) return undefined;
  const asked = { text, unpacked: select, parameters: unmasked(parameters), origin };
  const steps = () => planOf(asked, dialect, isMeasured ? "reads" : "no");
  try {
    return await sender.run(steps, "always", { verb: planVerb, query: undefined, at: undefined });
  } catch {
    return undefined;
  }
}
