import { GemachError } from "../errors/index.js";
import {
  changedState,
  columnAt,
  expectKey,
  isGiven,
  isLimited,
  type Node,
  pathTo,
  type QueryState,
  qualified,
  type ResolvedEntity,
  type StandingCondition,
} from "../ir/index.js";
import { storedOrThrow } from "../model/index.js";
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

/**
 * Whether a condition is an `and` or `or` of nothing: a list of conditions that came out empty asks neither for all
 * rows nor for none.
 */
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

/** The standing condition of an entity whose rows are hidden in place of being deleted. */
const markOf = ({ standing }: ResolvedEntity): StandingCondition | undefined =>
  standing.find(({ removed }) => removed !== undefined);

/** An update that gives the column of a mark a value, and what each write gives of its own. */
function planMark(
  query: QueryState,
  { column }: StandingCondition,
  value: Node,
  call: string,
  returning: ReturningOption,
): UpdatePlan {
  const set = withMaintained(query.source, [{ column, value }], call);
  return { kind: "update", query, set, returning: planReturning(query.source.entity, returning) };
}

/**
 * Rows to be deleted; or to be marked, where their entity says so and nobody says that it is for good.
 * @throws GemachError `WRITE_UNFIT`, `ENTITY_READ_ONLY`, `NOT_NARROWED`
 */
export function planDelete(
  query: QueryState,
  { all, returning, isForGood }: ChangeOptions & { readonly isForGood: boolean },
): DeletePlan | UpdatePlan {
  const call = isForGood ? "deleteForGood" : "delete";
  const target = targetOf(query, call, all);
  const { entity } = query.source;
  const mark = isForGood ? undefined : markOf(entity);
  if (mark === undefined) return { kind: "delete", query: target, returning: planReturning(entity, returning) };
  const value = storedOrThrow(mark.column, mark.removed?.(), mark.column.isNullable, { call });
  return planMark(target, mark, { kind: "value", value, type: mark.column.type }, call, returning);
}

/**
 * Rows that are marked as removed, to be made visible again.
 * @throws GemachError `WRITE_UNFIT`, `ENTITY_READ_ONLY`, `NOT_NARROWED`, `MARK_MISSING`
 */
export function planRestore(query: QueryState, { all, returning }: ChangeOptions): UpdatePlan {
  const target = targetOf(query, "restore", all);
  const { entity } = query.source;
  const mark = markOf(entity);
  if (mark === undefined || isGiven(mark.value)) throw new GemachError("MARK_MISSING", { entity: entity.name });
  const { column, value } = mark;
  const held = columnAt(pathTo(query.source), column);
  const visible: Node =
    value === null
      ? { kind: "isNull", operand: held }
      : { kind: "compare", comparison: "equal", left: held, right: { kind: "value", value, type: column.type } };
  const marked = changedState(target, {
    lifted: [...new Set([...target.lifted, mark.name])],
    where: [...target.where, { kind: "not", item: visible }],
  });
  return planMark(marked, mark, { kind: "value", value, type: column.type }, "restore", returning);
}
