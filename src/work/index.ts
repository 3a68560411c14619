export type { Hooks, RowWrite } from "./hooks.js";
export type { PatchOptions } from "./patch.js";
export { openWork, type UnitOfWork, type WorkOptions, workOptionNames } from "./unit-of-work.js";
