export { type Adoption, adoptTables } from "./adopt/adopt.js";
export { evidenceIn } from "./adopt/evidence.js";
export { type Guess, guessRelations } from "./adopt/guess.js";
export { columnLines, entityLines, relationLine } from "./adopt/source.js";
export { readTables } from "./catalogue/read.js";
export { readSizes } from "./catalogue/sizes.js";
export { type Change, changeLabel, tableLabel } from "./compare/change.js";
export { changesBetween } from "./compare/compare.js";
export { type Draft, draftBetween, migrationText, undoText } from "./draft/draft.js";
export { type Block, blocksOf } from "./draft/locks.js";
export { onlineSteps } from "./draft/online.js";
export { formerNames, type Renames } from "./draft/renames.js";
export { startText } from "./draft/start.js";
export { type AppliedMigration, applyMigrations } from "./migrations/apply.js";
export { journalIn, journalOf } from "./migrations/journal.js";
export {
  labelOf,
  type Migration,
  type MigrationCode,
} from "./migrations/migration.js";
export { type Obstacle, obstaclesIn } from "./migrations/preconditions.js";
export { statusOf } from "./migrations/status.js";
export { tablesOf } from "./tables-of.js";
export { statementsOf } from "./text/statements.js";
