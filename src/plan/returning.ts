import { GemachError } from "../errors/index.js";
import { allOf, type Node, type ResolvedEntity } from "../expression/index.js";
import { withProjection } from "../query/index.js";
import { isOfOwnRow } from "./leaves.js";
import { planList } from "./plan.js";
import type { Output } from "./statement-plan.js";
import type { Returning } from "./write-plan.js";

/** What a write is to give back, as the user says it: whole rows, or what a function names of each. */
export type ReturningOption = true | ((row: unknown) => unknown) | undefined;

const isNode = (output: Output): output is Node =>
  output.kind !== "rowCount" && output.kind !== "presence" && output.kind !== "owner" && output.kind !== "nested";

/**
 * What a write gives back of each row: what a query of these rows would.
 * @throws GemachError `RETURN_BEYOND_ROW`
 */
export function planReturning(entity: ResolvedEntity, option: ReturningOption): Returning | undefined {
  if (option === undefined) return undefined;
  const source = { entity };
  const query = option === true ? allOf(source) : withProjection(allOf(source), option);
  const { outputs, rows } = planList(query, { strategy: "auto" });
  const own = outputs.filter((output) => isNode(output)).filter(isOfOwnRow);
  if (own.length < outputs.length) throw new GemachError("RETURN_BEYOND_ROW", { entity: entity.name });
  return { source, outputs: own, rows };
}
