import { GemachError } from "../errors/index.js";
import { expectKey, isLimited, type Node, type QueryState, qualified } from "../expression/index.js";
import { isPlainQuery, rowAt } from "../query/index.js";
import { assignedIn } from "./assigned.js";
import { withoutCursor } from "./beside-cursor.js";
import { hasSubquery, isOfRows, leavesRow } from "./leaves.js";
import { withMaintained } from "./maintained.js";
import { planReturning, type ReturningOption } from "./returning.js";

import type { DeletePlan, UpdatePlan } from "./write-plan.js";

/** Options of a write that finds its rows by a query. */
export interface ChangeOptions {
  /** Whether every row is meant where the query has no condition. */
  readonly all: boolean;
  readonly returning: ReturningOption;
}

/** Whether a condition is an `and` or `or` of nothing: a list of conditions that came out empty asks neither for all rows nor for none. */
const isEmpty = (node: Node): boolean => node.kind === "logic" && node.items.every(isEmpty);

/** Refuses what is no query of an entity itself, and a whole table that nobody spoke of. */
function targetOf(query: QueryState, call: string, all: boolean): QueryState {
  const { entity } = query.source;
  if (!isPlainQuery(query)) throw new GemachError("WRITE_UNFIT", { call, entity: entity.name });
  if (entity.isReadOnly) throw new GemachError("ENTITY_READ_ONLY", { entity: entity.name });
  const isWhole = query.where.every(isEmpty) && query.limit === undefined && query.offset === undefined;
  if (isWhole && query.cursor === undefined && !all)
    throw new GemachError("NOT_NARROWED", { call, entity: entity.name });
  const isDirect = !isLimited(query) && !query.where.some(leavesRow) && query.cursor === undefined;
  if (!isDirect) expectKey(entity, `A limit or a path in ${call}()`);
  return withoutCursor(query);
}

/**
 * Rows to be changed, and what their columns are given.
 * @throws GemachError `WRITE_UNFIT`, `ENTITY_READ_ONLY`, `NOT_NARROWED`, `CHANGE_EMPTY`, `CHANGE_BEYOND_ROW`, and what
 * an insert throws of values
 */
export function planUpdate(query: QueryState, change: unknown, { all, returning }: ChangeOptions): UpdatePlan {
  const target = targetOf(query, "update", all);
  const { entity } = query.source;
  const given = typeof change === "function" ? change(rowAt(query.source)) : change;
  const set = assignedIn(entity, given, { call: "update" });
  if (set.length === 0) throw new GemachError("CHANGE_EMPTY", { entity: entity.name });
  const beyond = set.find(({ value }) => isOfRows(value));
  if (beyond !== undefined)
    throw new GemachError("CHANGE_BEYOND_ROW", { column: qualified(beyond.column), call: "update" });
  if (set.some(({ value }) => leavesRow(value) || hasSubquery(value)))
    expectKey(entity, "What other rows tell in update()");
  const whole = withMaintained(query.source, set, "update");
  return { kind: "update", query: target, set: whole, returning: planReturning(entity, returning) };
}

/**
 * Rows to be deleted.
 * @throws GemachError `WRITE_UNFIT`, `ENTITY_READ_ONLY`, `NOT_NARROWED`
 */
export function planDelete(query: QueryState, { all, returning }: ChangeOptions): DeletePlan {
  const target = targetOf(query, "delete", all);
  return { kind: "delete", query: target, returning: planReturning(query.source.entity, returning) };
}
