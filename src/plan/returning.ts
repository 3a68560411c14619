import { derivedByName } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { allOf, type Node, type QueryState, type ResolvedEntity, type Source } from "../ir/index.js";
import { withProjection } from "../query/index.js";
import { isOfOwnRow } from "./leaves.js";
import { planList } from "./plan.js";
import type { Output } from "./statement-plan.js";
import type { Returning } from "./write-plan.js";

/** What a write is to give back: whole rows, members that are named, or what a function names of each. */
export type ReturningOption = true | readonly string[] | ((row: unknown) => unknown) | undefined;

const isNode = (output: Output): output is Node =>
  output.kind !== "rowCount" && output.kind !== "presence" && output.kind !== "owner" && output.kind !== "nested";

/** Members of a row. */
const membersOf =
  (names: readonly string[]) =>
  (row: unknown): unknown =>
    Object.fromEntries(names.map((name) => [name, (row as Readonly<Record<string, unknown>>)[name]]));

const keptReturning = derivedByName<ResolvedEntity, string, Returning>();

/** What is equal for what a write gives back; undefined where a function says what. */
export const returningKey = (option: ReturningOption): string | undefined =>
  typeof option === "function" ? undefined : (JSON.stringify(option) ?? "");

/**
 * What a write gives back of each row: what a query of these rows would.
 * @throws GemachError `RETURN_BEYOND_ROW`
 */
export function planReturning(entity: ResolvedEntity, option: ReturningOption): Returning | undefined {
  if (typeof option === "function") return plan(entity, (source) => withProjection(allOf(source), option));
  if (option !== true && !Array.isArray(option)) return undefined;
  return keptReturning(entity, returningKey(option) as string, () =>
    plan(entity, (source) => (option === true ? allOf(source) : withProjection(allOf(source), membersOf(option)))),
  );
}

function plan(entity: ResolvedEntity, query: (source: Source) => QueryState): Returning {
  const source = { entity };
  const { outputs, rows } = planList(query(source), { strategy: "auto" });
  const own = outputs.filter((output) => isNode(output)).filter(isOfOwnRow);
  if (own.length < outputs.length) throw new GemachError("RETURN_BEYOND_ROW", { entity: entity.name });
  return { source, outputs: own, rows };
}
