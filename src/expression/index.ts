export { type Aggregates, aggregated, aggregateNames } from "./aggregates.js";
export { type CallName, matchCalls } from "./calls.js";
export { columnsIn, keepsRule } from "./evaluate.js";
export { and, expression, isExpression, nodeOf, not, or, orderNodes, predicateNode } from "./expression.js";
export type {
  CaselessText,
  ColumnExpression,
  Comparable,
  Day,
  Expression,
  ExpressionOf,
  Instant,
  NumberExpression,
  Order,
  Ordered,
  Predicate,
  Present,
  Text,
  TimeOfDay,
} from "./expression-types.js";
export { type Case, coalesce, greatest, least, literal, nullIf, when } from "./functions.js";
export { columnAt, partsOf, pathOn, pathTo, setAlong, setIn, sourceIn, typeOf } from "./node.js";
export { guard, memberAt, ownRow, presenceOf } from "./own-row.js";
export {
  type AggregateName,
  type AggregateNode,
  type CallNode,
  type Cardinality,
  type Comparison,
  type FirstNode,
  type Holder,
  type KeyPair,
  type Node,
  type NodeType,
  type OrderNode,
  type OwnCondition,
  type Path,
  qualified,
  type ResolvedColumn,
  type ResolvedEntity,
  type ResolvedMember,
  type ResolvedRelation,
  type SetNode,
  type Source,
  type Step,
} from "./resolved.js";
export { allOf, type Projection, type QueryState, type ReachedRelation } from "./state.js";
export { type Strategy, strategies } from "./strategy.js";
