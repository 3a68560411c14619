export { isActive, withActive } from "./active.js";
export type {
  Aggregates,
  AverageScale,
  Deviation,
  DistinctAggregates,
  GroupAggregates,
  RankedKind,
} from "./aggregate-types.js";
export {
  aggregated,
  aggregateMethods,
  aggregateNames,
  type MakeAggregate,
  type Said,
  saidOrder,
} from "./aggregates.js";
export { operandOf } from "./built.js";
export { atOneScale, replaced } from "./decimals.js";
export {
  and,
  expression,
  isExpression,
  nodeOf,
  not,
  or,
  orderNodes,
  predicate,
  predicateGiven,
  predicateNode,
} from "./expression.js";
export type {
  Absent,
  CaselessText,
  ColumnExpression,
  Comparable,
  Day,
  Expression,
  ExpressionOf,
  Instant,
  JsonDocument,
  LocalInstant,
  NumberExpression,
  Order,
  Ordered,
  Predicate,
  Present,
  Text,
  TimeOfDay,
} from "./expression-types.js";
export { type Case, coalesce, greatest, least, literal, now, nullIf, today, when } from "./functions.js";
export { type ListParameter, listParameter } from "./list-parameter.js";
export { guard, memberAt, ownRow, presenceOf } from "./own-row.js";
export { type Tuple, tuple } from "./tuple.js";
export {
  avgOver,
  countOver,
  denseRank,
  firstValue,
  lag,
  lastValue,
  lead,
  maxOver,
  minOver,
  ntile,
  percentRank,
  rank,
  rowNumber,
  sumOver,
  type Window,
} from "./windows.js";
