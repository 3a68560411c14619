export { along } from "./along.js";
export type {
  Changes,
  ChangesOf,
  ColumnChanges,
  EntityChanges,
  QueryOfRows,
  RowChange,
  UpsertOptions,
} from "./change-types.js";
export { except, intersect, named, union, unionAll } from "./combine.js";
export type {
  AnyRows,
  Combined,
  Derived,
  Grouped,
  Joining,
  NarrowedRows,
  Optional,
  SelectedRows,
  Selecting,
  Totals,
  TreePosition,
} from "./combined-types.js";
export { fieldsOf, fieldsOfQuery, projectionOfQuery, rowAt } from "./derived.js";
export { forced } from "./forced.js";
export type { AllRows, Group, GroupKeys, NamedKeys, PartGroup } from "./group.js";
export { from, isPlainQuery, reachOf, stateOf, withProjection } from "./query.js";
export type {
  Counted,
  Deep,
  Deepening,
  EntityQuery,
  Narrowing,
  OneQuery,
  ProjectedQuery,
  QueryOf,
  Reached,
  ReachFaults,
  ReachKeys,
  ReachShape,
} from "./query-types.js";
export { exists, firstOf, notExists, scalar } from "./query-value.js";
export { type RecursiveOptions, recursive } from "./recursive.js";
export type { Reference, ReferenceOf, RelatedRows, RelatedSet } from "./reference.js";
export type { RefusedNames, Refusing, Ruled } from "./refused-types.js";
export { rowCount } from "./row-count.js";
export type { Collection, Selected, Selection, SelectionObject, Unselected } from "./selection.js";
export { type DayBound, series, type WholeBound } from "./series.js";
export { type RawCommand, type RawRows, type RawStatement, rawIn, type SqlPart, sql } from "./sql.js";
export { type Template, type TemplateValues, template, type ValuesOf } from "./template.js";
