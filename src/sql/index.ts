export { type CompiledStatement, compile } from "./compile.js";
export { definitionOf } from "./definition.js";
export type { Dialect, DialectName, Keys, Wire } from "./dialect.js";
export { dialectOf } from "./dialects.js";
export { encodeParameter } from "./encode.js";
export { type ConflictSet, type GivenRow, insertFromStatement, insertStatements } from "./insert.js";
export { type PreviewedKeys, type PreviewedStatement, type PreviewOptions, preview } from "./preview.js";
export { qualifiedTable } from "./print.js";
export { changesOf, deleteStatement, updateStatement, type WriteStatement } from "./write.js";
