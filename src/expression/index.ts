export { isActive, withActive } from "./active.js";
export { type AggregateName, aggregateRules, type WindowAggregate } from "./aggregate-rules.js";
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
export { type CallName, callNames, isMatch, type MatchCall } from "./calls.js";
export { type Comparison, comparisons } from "./comparisons.js";
export { atOneScale, replaced } from "./decimals.js";
export { columnsIn, keepsRule } from "./evaluate.js";
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
export type { Fault } from "./fault.js";
export { type Case, coalesce, greatest, least, literal, now, nullIf, today, when } from "./functions.js";
export { heldKey } from "./held-key.js";
export { expectKey } from "./keyed.js";
export { type ListParameter, listParameter } from "./list-parameter.js";
export {
  columnAt,
  constantNode,
  hasWindow,
  isSameColumn,
  labelOf,
  partsOf,
  pathOn,
  pathTo,
  setAlong,
  setIn,
  sourceIn,
  typeOf,
  valueNode,
} from "./node.js";
export { nodeText } from "./node-text.js";
export { type OutsideRule, type OutsideRules, outsideRules } from "./outside.js";
export { isOwnKind } from "./own-kinds.js";
export { guard, memberAt, ownRow, presenceOf } from "./own-row.js";
export { entitiesAround, entitiesRead, hasOwnSql, relationsRead } from "./parts-read.js";
export { filled, type Leaf, renewed, renewedRows, replacing, sourcesOf } from "./renewed.js";
export {
  type AggregateDetails,
  type AggregateNode,
  type BySets,
  type CallNode,
  type Cursor,
  type Derivation,
  type FirstNode,
  type ForeignKeyAction,
  type Given,
  type GroupNode,
  type Hole,
  type JoinNode,
  type KeyPair,
  type Node,
  type NodeType,
  type OrderNode,
  type OwnCondition,
  type Past,
  type Path,
  type Projection,
  type QueryState,
  qualified,
  type RawNode,
  type RawText,
  type ReachedRelation,
  type ResolvedColumn,
  type ResolvedEntity,
  type ResolvedIndex,
  type ResolvedMember,
  type ResolvedRelation,
  type SetNode,
  type Source,
  type StandingCondition,
  type Step,
  type WindowNode,
} from "./resolved.js";
export { isGiven, standingHole } from "./standing.js";
export { allOf, changedState, isLimited, type NoQuery, type Query, type RowOf, stateIn, stateKey } from "./state.js";
export { type Strategy, strategies } from "./strategy.js";
export { type Tuple, tuple } from "./tuple.js";
export { valueAt } from "./value-at.js";
export { type WindowName, windowRules } from "./window-rules.js";
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
export type { Cardinality, Holder, RowLock, SetOperator } from "./words.js";
