import type { Wire } from "../dialects/wire.js";

/**
 * The operation of a step of an execution plan. `table scan`: looks at every row of a table; `index scan`: at every
 * entry of an index; `seek`: finds rows by an index; `built index`: makes an index for this statement alone, out of
 * every row; `partial sort`: sorts only what is equal in an order that is there already; `derived`: keeps rows for
 * later; `function`: rows of a list or JSON value that the statement brings along.
 */
export type PlanOperation =
  | "table scan"
  | "index scan"
  | "seek"
  | "built index"
  | "join"
  | "sort"
  | "partial sort"
  | "group"
  | "distinct"
  | "limit"
  | "window"
  | "set"
  | "derived"
  | "subquery"
  | "function"
  | "write"
  | "other";

/** One step of an execution plan, in one form for all engines. What an engine does not tell is left out. */
export interface PlanStep {
  readonly operation: PlanOperation;
  /** The engine's words for it. */
  readonly text: string;
  /** The statement's alias of the table whose rows it looks at. */
  readonly alias?: string;
  /** The entity of the table, where the statement is the library's own. */
  readonly entity?: string;
  /** The table itself. */
  readonly table?: string;
  /** How many rows a scanned table has; counted up to a hundred thousand. */
  readonly tableRows?: number;
  readonly index?: string;
  /** The condition that rows must meet, as the engine writes it. */
  readonly condition?: string;
  /** How many rows the engine expected it to give, each time that it is done. */
  readonly expectedRows?: number;
  /** How many rows it gave, all times together; where the statement was run for that. */
  readonly rows?: number;
  /** How often it was done. */
  readonly loops?: number;
  /** The time that it took with what is below it, all times together. */
  readonly milliseconds?: number;
  /** The steps whose rows it takes. */
  readonly below: readonly PlanStep[];
}

/** How an engine tells of its plans. */
export interface ExplainRules {
  /** Whether it can measure each step while it runs a statement. */
  readonly measures: boolean;
  /** The statement that asks for the plan of a statement; `isMeasured`: which is run for that. */
  readonly ask: (statement: string, isMeasured: boolean) => string;
  /** The plan in its answer. */
  readonly read: (rows: readonly (readonly Wire[])[]) => PlanStep;
}

/** Every step of a plan, each before what is below it. */
export function* stepsIn(step: PlanStep): Generator<PlanStep> {
  yield step;
  for (const below of step.below) yield* stepsIn(below);
}

/** A step without what an engine does not tell. */
export const step = (
  operation: PlanOperation,
  text: string,
  below: readonly PlanStep[],
  facts: { readonly [P in keyof PlanStep]?: PlanStep[P] | undefined } = {},
): PlanStep => ({
  operation,
  text,
  ...(Object.fromEntries(Object.entries(facts).filter(([, value]) => value !== undefined)) as Partial<PlanStep>),
  below,
});

/** One step over several plans; the only one where there is one. */
export const over = (steps: readonly PlanStep[]): PlanStep =>
  steps.length === 1 ? (steps[0] as PlanStep) : step("other", "statement", steps);
