// What the package gemach-tools of the same version uses, beside what is public: no promise to anybody else.
export { toolError } from "../errors/index.js";
export { type ResolvedEntity, type ResolvedRelation, relationsRead, stateIn, strategies } from "../ir/index.js";
export { describeTables, entitiesOf, isModel, type TableReference, tableKey } from "../model/index.js";
export { openAmong } from "../plan/index.js";
export { connectionOf, sendOwn } from "../run/index.js";
export {
  type Block,
  blocksOf,
  columnLines,
  entityLines,
  journalIn,
  labelOf,
  type Obstacle,
  obstaclesIn,
  readSizes,
  relationLine,
  statusOf,
  tableLabel,
} from "../schema/index.js";
export {
  layOutAll,
  mariadbDialect,
  pgliteDialect,
  postgresDialect,
  qualifiedTable,
  sqliteDialect,
  type TableLayout,
} from "../sql/index.js";
export { type FoundIndex, readIndexes, readStatements, readUnusedIndexes } from "../tables/index.js";
export {
  escaped,
  fileName,
  markdownBlock,
  markdownCode,
  markdownText,
  mermaidText,
  mermaidWord,
  oneLine,
  sqlRemark,
  visibleLines,
  xmlText,
} from "../written/index.js";
