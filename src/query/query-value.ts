import type { ColumnKind } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type Expression, type ExpressionOf, expression, type Predicate, predicate } from "../expression/index.js";
import { type NodeType, type Query, type QueryState, renewed, typeOf } from "../ir/index.js";
import type { AnyRows, Selecting, Totals } from "./combined-types.js";
import { stateOf } from "./query.js";

/** A query that gives one value for each row, over rows of its own. */
function valueIn(query: unknown, call: string): NodeType & { readonly state: QueryState } {
  const { query: state } = renewed(stateOf(query, call));
  const { projection } = state;
  if (projection?.kind !== "value")
    throw new GemachError("VALUE_UNFIT", {
      column: `${call}()`,
      expected: "a query that selects one value",
      got: projection === undefined ? "one without a projection" : "one that selects several",
    });
  return { state, ...typeOf(projection.node) };
}

/**
 * The value of a query's first row, in its own order; missing where it has none. The query may refer to the rows
 * around it, and gives one value for each row: `from(Loan).where(…).select((loan) => loan.due)`.
 * @throws GemachError `VALUE_UNFIT` where it gives several
 */
export function firstOf<V, K extends ColumnKind>(query: Selecting<Expression<V, K>>): ExpressionOf<K, V | null> {
  const { state, type } = valueIn(query, "firstOf");
  return expression({ kind: "firstQuery", query: state, isOnly: false, type, isNullable: true });
}

/**
 * The value of a query's only row; missing where it has none. The query may refer to the rows around it, and gives one
 * value: `c.balance.above(scalar(from(Customer).totals((all) => all.avg((c) => c.balance))))`.
 * @throws GemachError `VALUE_UNFIT` where it gives several values, `VALUE_SEVERAL` when it is run and has several rows
 */
export function scalar<V, K extends ColumnKind>(query: Totals<Expression<V, K>>): ExpressionOf<K, V>;
export function scalar<V, K extends ColumnKind>(query: Selecting<Expression<V, K>>): ExpressionOf<K, V | null>;
export function scalar(query: Query): unknown {
  const { state, type, isNullable } = valueIn(query, "scalar");
  const isOneRow = state.groupBy?.length === 0 && state.having.length === 0;
  return expression({ kind: "firstQuery", query: state, isOnly: true, type, isNullable: !isOneRow || isNullable });
}

/** Whether a query has any row; it may refer to the rows around it. */
export const exists = (query: AnyRows): Predicate =>
  predicate({ kind: "existsQuery", query: renewed(stateOf(query, "exists")).query });

/** Whether a query has no row. */
export const notExists = (query: AnyRows): Predicate =>
  predicate({ kind: "not", item: { kind: "existsQuery", query: renewed(stateOf(query, "notExists")).query } });
