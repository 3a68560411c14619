export { readTables } from "./catalogue/read.js";
export { type Change, changeLabel } from "./compare/change.js";
export { changesBetween } from "./compare/compare.js";
export { statementsOfWay, wayBetween } from "./draft/statements.js";
