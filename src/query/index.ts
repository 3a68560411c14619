export { from, stateOf } from "./query.js";
export type { EntityQuery, OneQuery, ProjectedQuery, Query, ReachShape, RowOf } from "./query-types.js";
export type { Reference, RelatedSet } from "./reference.js";
export type { Selection } from "./selection.js";
