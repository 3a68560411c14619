export { createTables, createTablesSql } from "./create-tables.js";
