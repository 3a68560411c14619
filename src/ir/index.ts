export { type AggregateName, type AggregateRule, aggregateRules, type WindowAggregate } from "./aggregate-rules.js";
export {
  type arithmeticCalls,
  type CallName,
  callNames,
  type dayCalls,
  isMatch,
  type jsonCalls,
  type MatchCall,
  type textCalls,
} from "./calls.js";
export { type Comparison, comparisons } from "./comparisons.js";
export { columnsIn, keepsRule } from "./evaluate.js";
export type { Fault } from "./fault.js";
export { heldKey } from "./held-key.js";
export { expectKey } from "./keyed.js";
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
export { entitiesAround, entitiesRead, hasOwnSql, relationsRead } from "./parts-read.js";
export { filled, type Leaf, renewed, renewedRows, replacing, sourcesOf } from "./renewed.js";
export {
  type AggregateDetails,
  type AggregateNode,
  type BySets,
  type CallNode,
  type CaseNode,
  type Cursor,
  type Derivation,
  type FirstNode,
  type ForeignKeyAction,
  type GroupNode,
  type Hole,
  type JoinNode,
  type KeyPair,
  type Node,
  type NodeType,
  type OrderNode,
  type OwnCondition,
  type ParameterValues,
  type Path,
  type Projection,
  type QueryMemo,
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
export {
  allOf,
  changedState,
  isLimited,
  type NoQuery,
  type Query,
  type RowOf,
  type SelectionOf,
  stateIn,
  stateKey,
} from "./state.js";
export { type Strategy, strategies } from "./strategy.js";
export { valueAt } from "./value-at.js";
export { type WindowName, type WindowRule, windowRules } from "./window-rules.js";
export type { Cardinality, Holder, RowLock, SetOperator } from "./words.js";
