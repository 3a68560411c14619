export { type AdoptOptions, adoptDatabase, type ProjectAdoption } from "./adopt.js";
export { type AuditFailure, auditProject, type ProjectAudit, type ProjectFinding } from "./audit.js";
export { auditModel, type ModelAdvice } from "./audit-model.js";
export { newSince, saveBaseline } from "./baseline.js";
export {
  type DraftOptions,
  draftMigration,
  type ProjectDraft,
  type RenameQuestion,
} from "./draft.js";
export type { EngineDraft } from "./draft-files.js";
export { loadProject, type Project, type ProjectQuery, queryNamed } from "./load.js";
export { markdownOf } from "./markdown.js";
export { migrationsOf } from "./migration-folder.js";
export { type MapColumn, type MapEntity, type MapRelation, type ModelMap, modelMap } from "./model-map.js";
export { openDatabase, schemesOf } from "./open.js";
export { type OpenedSqlite, openSqlite } from "./open-sqlite.js";
export { type RunAudit, type RunFinding, runUnderLedger } from "./run-command.js";
export { sarifOf } from "./sarif.js";
export { type Difference, type Verification, verifyProject } from "./verify.js";
