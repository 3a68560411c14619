import { filled, type Query, type QueryState, type Strategy } from "../ir/index.js";
import { builtQuery, stateOf } from "./query.js";

/** What is reached, without strategies of its own. */
const unforced = (reach: QueryState["reach"]): QueryState["reach"] =>
  reach.map(({ relation, query }) => ({
    relation,
    query: { ...query, strategy: undefined, reach: unforced(query.reach), memo: { isUsed: false } },
  }));

/** Forces a query to one strategy, whatever was said of what it reaches. @internal */
export function forced(query: Query, strategy: Strategy, call: string): Query {
  const state = filled(stateOf(query, call));
  return builtQuery({ ...state, strategy, reach: unforced(state.reach), memo: { isUsed: false } }) as Query;
}
