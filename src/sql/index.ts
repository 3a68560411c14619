export { type CompiledStatement, compile } from "./compile.js";
export { definitionOf } from "./definition.js";
export type { Dialect, DialectName, Keys, Wire } from "./dialect.js";
export { dialectOf } from "./dialects.js";
export { type GivenRow, insertRequests } from "./insert.js";
export { type PreviewedKeys, type PreviewedStatement, type PreviewOptions, preview } from "./preview.js";
export { qualifiedTable } from "./print.js";
export type { Parameter } from "./tree.js";
