export {
  type CardinalityOf,
  type ColumnsOf,
  type Definitions,
  type EntityDefinition,
  type EntityName,
  type EntityOptions,
  entity,
  type IndexDefinition,
  type MayBeMissing,
  type MemberValue,
  type NewRow,
  type OwnRow,
  type PlainRow,
  type RelationsOf,
  type TargetOf,
} from "./entity.js";
export type { Fault } from "./faults.js";
export {
  type Entity,
  entitiesOf,
  isEntity,
  isModel,
  type Model,
  type ModelOptions,
  model,
  type NewRowOf,
  type PlainRowOf,
  resolve,
} from "./model.js";
export { type Link, linked, type Relation, type RelationRules, type Route, toMany, toOne, via } from "./relation.js";
export { ownIssues } from "./row-schema.js";
