export type { Hooks, RowWrite } from "./hooks.js";
export { isHere } from "./is-here.js";
export type { AddedRow, Lazy, Live, LiveEntity, LiveList } from "./live-types.js";
export { OutsideReachError } from "./outside.js";
export type { PatchOptions } from "./patch.js";
export { openWork, type UnitOfWork, type WorkOptions, workOptionNames } from "./unit-of-work.js";
