export { type CompiledStatement, compile, detailKey, detailOf, type StatementOrigin, writeDetail } from "./compile.js";
export type {
  CheckLayout,
  ColumnLayout,
  ForeignKeyLayout,
  IndexLayout,
  IndexPartLayout,
  KeyLayout,
  TableLayout,
} from "./definition/layout.js";
export { createIndexText, createModelText, layOutAll } from "./definition/of-model.js";
export {
  checkText,
  columnText,
  createText,
  defaultText,
  foreignKeyText,
  indexAction,
  indexText,
  isEnclosed,
  tableText,
  uniqueText,
} from "./definition/table-text.js";
export { type Dialect, type DialectName, factsOf } from "./dialects/dialect.js";
export { encodeParameter, ofMatch } from "./dialects/encode.js";
export { mariadbDialect } from "./dialects/mariadb/mariadb-dialect.js";
export { pgliteDialect } from "./dialects/postgres/pglite-dialect.js";
export { postgresDialect } from "./dialects/postgres/postgres-dialect.js";
export { sqliteDialect } from "./dialects/sqlite/sqlite-dialect.js";
export type { Keys, Wire } from "./dialects/wire.js";
export { type PlanOperation, type PlanStep, stepsIn } from "./explain/execution-plan.js";
export { type Operation, operationOf } from "./explain/operation.js";
export type { TableUse } from "./explain/table-use.js";
export { preview } from "./preview/all.js";
export {
  type DialectOption,
  dialectIn,
  handleValues,
  type PreviewedKeys,
  type PreviewedParameter,
  type PreviewedStatement,
  type PreviewOptions,
} from "./preview/preview.js";
export type { PreviewWriteOptions } from "./preview/preview-writes.js";
export { qualifiedTable } from "./print/printer.js";
export { rawRequest } from "./statement/raw.js";
export { isOfFormula } from "./translate/formula-number.js";
export type { Parameter } from "./tree/tree.js";
export { changeStatement as printChange } from "./write/change.js";
export type { EncodedStatement } from "./write/insert.js";
export { keyedStatements } from "./write/keyed.js";
export { writeStatements } from "./write/write.js";
