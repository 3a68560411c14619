export { createTables, createTablesSql } from "./create-tables.js";
export {
  type FoundIndex,
  readIndexes,
  readStatements,
  readUnusedIndexes,
  type ServerStatement,
} from "./read-catalogue.js";
