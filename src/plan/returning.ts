import { GemachError } from "../errors/index.js";
import { allOf, type Node, type QueryState, type ResolvedEntity, type Source } from "../expression/index.js";
import { withProjection } from "../query/index.js";
import { isOfOwnRow } from "./leaves.js";
import { planList } from "./plan.js";
import type { Output } from "./statement-plan.js";
import type { Returning } from "./write-plan.js";

/** What a write is to give back: whole rows, their keys alone, or what a function names of each. */
export type ReturningOption = true | "key" | ((row: unknown) => unknown) | undefined;

const isNode = (output: Output): output is Node =>
  output.kind !== "rowCount" && output.kind !== "presence" && output.kind !== "owner" && output.kind !== "nested";

/** A row's key, by the names of its columns. */
const keyOf =
  ({ key }: ResolvedEntity) =>
  (row: unknown): unknown =>
    Object.fromEntries(key.map(({ property }) => [property, (row as Readonly<Record<string, unknown>>)[property]]));

const known = new WeakMap<ResolvedEntity, Map<true | "key", Returning>>();

/**
 * What a write gives back of each row: what a query of these rows would.
 * @throws GemachError `RETURN_BEYOND_ROW`
 */
export function planReturning(entity: ResolvedEntity, option: ReturningOption): Returning | undefined {
  if (option !== true && option !== "key" && typeof option !== "function") return undefined;
  if (typeof option === "function") return plan(entity, (source) => withProjection(allOf(source), option));
  const made = known.get(entity) ?? new Map<true | "key", Returning>();
  known.set(entity, made);
  const returning =
    made.get(option) ??
    plan(entity, (source) => (option === true ? allOf(source) : withProjection(allOf(source), keyOf(entity))));
  made.set(option, returning);
  return returning;
}

function plan(entity: ResolvedEntity, query: (source: Source) => QueryState): Returning {
  const source = { entity };
  const { outputs, rows } = planList(query(source), { strategy: "auto" });
  const own = outputs.filter((output) => isNode(output)).filter(isOfOwnRow);
  if (own.length < outputs.length) throw new GemachError("RETURN_BEYOND_ROW", { entity: entity.name });
  return { source, outputs: own, rows };
}
