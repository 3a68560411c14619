export { except, exists, intersect, named, notExists, recursive, union, unionAll } from "./combine.js";
export type { Combined, Derived, Grouped, Optional, Place, SelectedRows, Selecting } from "./combined-types.js";
export { rowAt } from "./derived.js";
export type { Group, GroupKeys } from "./group.js";
export { from, isPlainQuery, stateOf, withProjection } from "./query.js";
export type {
  Counted,
  Deep,
  EntityQuery,
  OneQuery,
  ProjectedQuery,
  Reached,
  ReachFaults,
  ReachKeys,
  ReachShape,
} from "./query-types.js";
export type { Reference, ReferenceOf, RelatedSet } from "./reference.js";
export type { Collection, Selected, Selection } from "./selection.js";
export { type RawCommand, type RawRows, type RawStatement, rawIn, type SqlPart, sql } from "./sql.js";
export { type Template, type TemplateValues, template } from "./template.js";
