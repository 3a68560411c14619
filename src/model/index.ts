export type { ForeignKeyAction } from "../ir/index.js";
export { dependencyOrder, type Ordered } from "./dependency-order.js";
export {
  type AnyDefinitions,
  type CardinalityOf,
  type ColumnPath,
  type ColumnRow,
  type ColumnsOf,
  type Definitions,
  type EntityDefinition,
  type EntityName,
  type EntityOptions,
  type EntityRow,
  entity,
  type IndexDefinition,
  type IsFixed,
  type IsWritable,
  type KeyColumns,
  type KeyOf,
  type MayBeMissing,
  type MemberValue,
  type OwnMembers,
  type OwnRow,
  type PlainRow,
  type Relations,
  type RelationsOf,
  type RowClass,
  type Standing,
  type TargetOf,
} from "./entity.js";
export { ascending, type IndexPart, indexesIn } from "./indexes-in.js";
export {
  type EntitiesClass,
  type Entity,
  entities,
  entitiesOf,
  entityIn,
  isEntity,
  isModel,
  type Model,
  type ModelOptions,
  model,
  type NewRowOf,
  type PlainRowOf,
  type PrimaryKeyOf,
  resolve,
} from "./model.js";
export type { NewEntityRow, NewRow } from "./new-row.js";
export { objectName } from "./object-name.js";
export {
  type AnyRelation,
  type ByKey,
  type Conditions,
  type KeyInTarget,
  type Link,
  type LinkOptions,
  linked,
  type OneRules,
  type OurKey,
  type Relation,
  type RelationRules,
  type Route,
  toMany,
  toOne,
  via,
} from "./relation.js";
export { rowSchema } from "./row-schema.js";
export { type GivenAt, storedOrThrow } from "./stored-value.js";
export {
  type ColumnDescription,
  describeTables,
  type ForeignKeyDescription,
  type IndexDescription,
  proposedIndex,
  type TableDescription,
  type TableInOrder,
  type TableReference,
  tableKey,
} from "./table-description.js";
