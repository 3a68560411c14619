import type { Fault } from "./fault.js";
import type { QueryState, Source } from "./resolved.js";

export const stateKey: unique symbol = Symbol("gemach.state");
declare const rowOf: unique symbol;

/**
 * A query: an immutable value that a verb of a database runs, any number of times. `Row` is what it
 * gives for each row.
 */
export interface Query<out Row = unknown> {
  /** @internal */
  readonly [stateKey]: QueryState;
  /** For the types only. @internal */
  readonly [rowOf]: Row;
}

declare const selectionOf: unique symbol;

/** For the types only: what a query's projection names, whose kinds its rows do not show. @internal */
export interface SelectionOf<out S> {
  /** @internal */
  readonly [selectionOf]: S;
}

/** For the types only: what the compiler says where something else stands for a query. @internal */
export interface NoQuery<Message extends string> {
  readonly [stateKey]: Fault<Message>;
  readonly [rowOf]: unknown;
}

/** in: a query; out: the type of its rows. */
export type RowOf<Q> = Q extends Query<infer Row> ? Row : never;

/** All that was said of a query; undefined for anything else. */
export const stateIn = (value: unknown): QueryState | undefined =>
  typeof value === "object" && value !== null ? (value as Partial<Query>)[stateKey] : undefined;

/** Whether rows are cut to so many. */
export const isLimited = ({ limit, offset }: { readonly limit: unknown; readonly offset: unknown }): boolean =>
  limit !== undefined || offset !== undefined;

/** A query of all rows of an entity. */
export const allOf = (source: Source): QueryState => ({
  source,
  outside: undefined,
  accepted: undefined,
  lifted: [],
  where: [],
  orderBy: [],
  limit: undefined,
  offset: undefined,
  given: undefined,
  lock: undefined,
  cursor: undefined,
  joins: [],
  groupBy: undefined,
  having: [],
  reach: [],
  projection: undefined,
  strategy: undefined,
  columns: undefined,
  isCounted: false,
  levels: undefined,
  isSnapshot: false,
  isPlannedAnew: false,
  memo: { isUsed: false },
});

/**
 * Copies a state with some members changed, as a query that was not run yet. Written out, since a spread of so many
 * members takes ten times as long (V8 of Node 20), at each call of a builder.
 */
export const changedState = (state: QueryState, change: Partial<QueryState>): QueryState => {
  const made: QueryState = {
    source: state.source,
    outside: state.outside,
    accepted: state.accepted,
    lifted: state.lifted,
    where: state.where,
    orderBy: state.orderBy,
    limit: state.limit,
    offset: state.offset,
    given: state.given,
    lock: state.lock,
    cursor: state.cursor,
    joins: state.joins,
    groupBy: state.groupBy,
    having: state.having,
    reach: state.reach,
    projection: state.projection,
    strategy: state.strategy,
    columns: state.columns,
    isCounted: state.isCounted,
    levels: state.levels,
    isSnapshot: state.isSnapshot,
    isPlannedAnew: state.isPlannedAnew,
    memo: { isUsed: false },
  };
  return Object.assign(made, change);
};
