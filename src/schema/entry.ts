// What applications get of this room: `gemach/schema`.
export { type OpenEntity, openEntities } from "../plan/index.js";
export { type AdoptFacts, type Adoption, adoptTables } from "./adopt/adopt.js";
export { evidenceIn } from "./adopt/evidence.js";
export { type Guess, guessRelations } from "./adopt/guess.js";
export { readTables } from "./catalogue/read.js";
export { type Change, changeLabel } from "./compare/change.js";
export { changesBetween } from "./compare/compare.js";
export { type Draft, draftBetween, migrationText, undoText } from "./draft/draft.js";
export { type OnlineStep, onlineSteps } from "./draft/online.js";
export { formerNames, type Renames } from "./draft/renames.js";
export { startText } from "./draft/start.js";
export { type AppliedMigration, type ApplyOptions, applyMigrations } from "./migrations/apply.js";
export type { Migration, MigrationCode, Precondition } from "./migrations/migration.js";
export { tablesOf } from "./tables-of.js";
