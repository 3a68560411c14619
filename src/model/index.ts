export {
  type AnyColumn,
  bigint,
  boolean,
  bytes,
  type Column,
  type ColumnTrait,
  type ColumnValue,
  choice,
  date,
  double,
  type HasTrait,
  identity,
  integer,
  isoTimestamp,
  json,
  list,
  numeric,
  text,
  time,
  timestamp,
  uuid,
  varchar,
} from "./column.js";
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
  type NewRow,
  type PlainRow,
  type Relations,
  type RelationsOf,
  type TargetOf,
} from "./entity.js";
export type { Fault, RelationFaults } from "./faults.js";
export { canonicalInstant, canonicalTime } from "./instant.js";
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
export { type NameConvention, sameName, snakeCase } from "./naming.js";
export {
  type AnyRelation,
  type Cardinality,
  type Link,
  linked,
  type Relation,
  type RelationRules,
  type Route,
  toMany,
  toOne,
  via,
} from "./relation.js";
export {
  type KeyPair,
  type OwnCondition,
  qualified,
  type ResolvedColumn,
  type ResolvedEntity,
  type ResolvedMember,
  type ResolvedRelation,
  type ResolvedValue,
  type Step,
} from "./resolved.js";
export { ownIssues } from "./row-schema.js";
export type { StandardIssue, StandardResult, StandardSchema } from "./standard-schema.js";
export { type Strategy, strategies } from "./strategy.js";
export { type Columns, type ValueObject, value } from "./value-object.js";
export { checked, decoderFor } from "./value-rules.js";
export {
  type Codec,
  type ColumnKind,
  type ComparedKind,
  comparedKind,
  type Scalar,
  type ValueType,
} from "./value-type.js";
