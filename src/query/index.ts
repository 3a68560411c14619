export {
  and,
  type Comparable,
  type Expression,
  type ExpressionOf,
  not,
  type Operand,
  type Order,
  type Ordered,
  or,
  type Predicate,
  type Present,
} from "./expression.js";
export {
  type Comparison,
  columnAt,
  type Node,
  type NodeType,
  type OrderNode,
  type Path,
  pathOn,
  pathTo,
  type SetNode,
  type Source,
  typeOf,
} from "./node.js";
export { from, stateOf } from "./query.js";
export type {
  EntityQuery,
  Narrowing,
  OneQuery,
  ProjectedQuery,
  Query,
  Reached,
  ReachFaults,
  ReachShape,
  RowOf,
  Selected,
  Selection,
} from "./query-types.js";
export type { Reference, RelatedRows, RelatedSet } from "./reference.js";
export { allOf, type Projection, type QueryState, type ReachedRelation } from "./state.js";
