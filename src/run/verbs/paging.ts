import type { Scalar } from "../../columns/index.js";
import { expectKey, type QueryState } from "../../ir/index.js";
import {
  cursorValues,
  deferredLimits,
  few,
  planPage,
  planPortion,
  totalOrder,
  valuesInCursor,
} from "../../plan/index.js";
import type { Compiler } from "../cache/compiler.js";
import { fetch } from "../rows/fetch.js";
import { type Context, valuesFor } from "./context.js";
import { fetchPortion, type Portion } from "./portion.js";
import { type BoundStatement, countRows, type Reading } from "./reading.js";

/** One page of a query's rows. */
export interface Page<Row> {
  readonly rows: Row[];
  /** How many rows there are on all pages. */
  readonly total: number;
  /** How many pages there are. */
  readonly pages: number;
  /** The number of this page, from 1. */
  readonly number: number;
  /** The most rows of a page. */
  readonly size: number;
}

/** A page of so many rows: the statement is the same for all pages of a query. */
export const paging = (size: number, number: number): Reading<Page<unknown>> => ({
  isSeveral: true,
  bind(context, state) {
    const before = (number - 1) * size;
    const limit = state.limit === undefined ? size : Math.max(0, Math.min(size, state.limit - before));
    const statement = context.compiler.compile(state, useOf("page", limit, context.compiler), planPage(limit));
    const offset = (state.offset ?? 0) + before;
    const limits = [
      [deferredLimits.limit.hole, limit],
      [deferredLimits.offset.hole, offset],
    ] as const;
    return { statement, values: new Map([...(valuesFor(context, state) ?? []), ...limits]) };
  },
  *fetch(context, state, { statement, values }) {
    const total = yield* countRows(context, state);
    const rows = [...(yield* fetch(statement, context.compiler.runtime, values))];
    return { rows, total, pages: Math.ceil(total / size), number, size };
  },
});

/**
 * A portion of so many rows, and the cursors before and after it.
 * @throws GemachError `CURSOR_UNFIT`
 */
export const portioning = (size: number): Reading<Portion<unknown>> => ({
  bind: (context, state, verb) => portionStatement(context, state, size + 1, verb),
  fetch: (context, state, { statement, values }) =>
    fetchPortion(statement, size, state.cursor?.side, context.compiler.runtime, values),
});

/** What a statement of so many rows is kept under: of any number, but where it says the number. */
function useOf(what: string, limit: number, { settings }: Compiler): string {
  if (settings.isLimitSaid === true) return `${what} ${limit}`;
  return limit > few ? `large ${what}` : what;
}

/** The statement of a portion: the same for all of a query, whose cursors differ in nothing but their values. */
function portionStatement(context: Context, state: QueryState, limit: number, verb: string): BoundStatement {
  const { compiler } = context;
  if (state.groupBy === undefined) expectKey(state.source.entity, `${verb}()`);
  const use = useOf("portion", limit, compiler);
  const values = new Map<string, Scalar>([...(valuesFor(context, state) ?? []), [deferredLimits.limit.hole, limit]]);
  const { cursor } = state;
  if (cursor?.base === undefined) return { statement: compiler.compile(state, use, planPortion(limit)), values };
  const inCursor = valuesInCursor(cursor.text, totalOrder(state));
  const places = cursorValues(inCursor);
  const useAfter = `${use} ${cursor.side} ${places.map((position) => (position === undefined ? "-" : "+")).join("")}`;
  // What is kept with the query without its cursor serves every cursor; that query's template is the owner of both.
  const owner = cursor.base.given?.template ?? cursor.base;
  const plan = planPortion(limit, places);
  const statement = compiler.compile(owner, useAfter, (query, settings) => plan({ ...query, cursor }, settings));
  places.forEach((position, i) => {
    if (position !== undefined) values.set(position.hole, inCursor[i] as Scalar);
  });
  return { statement, values };
}
