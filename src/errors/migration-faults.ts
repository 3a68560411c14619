import { define } from "./define.js";
import { listed } from "./suggest.js";

/** Faults of migrations: of their files, of what a database has run, and of what its rows do not allow. */
export const migrationFaults = () =>
  ({
    MIGRATION_NAME: define(
      (n: { file: string; reason: string }) => `'${n.file}' cannot be a migration: ${n.reason}.`,
      "Name it as 003-due-index.postgres.sql, what undoes it as 003-due-index.postgres.undo.sql, and one that is code as 003-first-districts.ts; or move it elsewhere.",
    ),
    MIGRATION_TWICE: define(
      (n: { name: string; files: readonly string[] }) =>
        `Two migrations are called '${n.name}': ${listed(n.files)}. By its name a database knows which ones it has run.`,
      "Give one of them another name.",
    ),
    MIGRATION_VARIANT: define(
      (n: { label: string; engine: string }) => `The migration ${n.label} has no file for ${n.engine}.`,
      (n: { label: string; engine: string }) =>
        `Write ${n.label}.${n.engine}.sql; an empty file says that there is nothing to do.`,
    ),
    MIGRATION_CHANGED: define(
      (n: { label: string; difference: string }) =>
        `The migration ${n.label} is no longer what ran on this database:\n${n.difference}`,
      "Put the file back as it was, and write what is to change into a new migration.",
    ),
    MIGRATION_MISSING: define(
      (n: { names: readonly string[] }) =>
        `This database has run ${listed(n.names)}, which the folder of migrations does not have.`,
      "Get the folder as it is on the branch that ran them; or undo them from there.",
    ),
    MIGRATION_LATE: define(
      (n: { label: string; after: string }) =>
        `The migration ${n.label} is pending, but ${n.after}, whose number is higher, has run here already.`,
      "Give it the next number, so that every database runs them in one order; or run it all the same with --late.",
    ),
    MIGRATION_UNKNOWN: define(
      (n: { name: string; known: readonly string[] }) =>
        `There is no migration '${n.name}'; there are ${listed(n.known) || "none"}.`,
      "Name one of them by its number, its name, or both.",
    ),
    MIGRATION_REFUSED: define(
      (n: { label: string; found: string }) =>
        `The migration ${n.label} was not begun: rows are in its way.\n${n.found}`,
      "Change these rows, or the migration, and run it again; nothing was changed.",
    ),
    MIGRATION_BEGUN: define(
      (n: { label: string; isUndone: boolean }) =>
        `The migration ${n.label} was stopped while it was ${n.isUndone ? "undone" : "applied"}, and is neither here nor there.`,
      (n: { isUndone: boolean }) =>
        n.isUndone
          ? "Let it be undone to its end first: `gemach apply --undo` goes on from there."
          : "Let it be applied to its end first: `gemach apply` goes on from there.",
    ),
    MIGRATION_FAILED: define(
      (n: { label: string; statement: string; at: number; of: number; reason: string; isWhole: boolean }) =>
        `The migration ${n.label} failed in its statement ${n.at} of ${n.of}: ${n.reason}\n${n.statement}`,
      (n: { isWhole: boolean }) =>
        n.isWhole
          ? "All of it was undone. Correct the file, and run it again."
          : "The statements before it are done, and recorded: correct this one in the file, and run it again; it goes on from here.",
    ),
    MIGRATION_UNDO: define(
      (n: { label: string }) => `Nothing says how the migration ${n.label} is undone.`,
      (n: { label: string }) => `Write ${n.label}.<engine>.undo.sql, or go on to a new migration instead.`,
    ),
    START_UNFIT: define(
      (n: { label: string; there: readonly string[]; missing: readonly string[] }) =>
        `${n.label} is the starting point of a database that has ${listed(n.there)} already, but not ${listed(n.missing)}.`,
      "Create what is missing, or drop what is there, so that the database has all of its tables or none.",
    ),
    SCRATCH_UNABLE: define(
      (n: { database: string; reason: string }) =>
        `No empty database can be made beside '${n.database}', on which the migrations would be tried: ${n.reason}.`,
      "Give the database's URL in the settings, and its user the right to create databases; or compare with the database itself: --from database.",
    ),
    DRAFT_NAME: define(
      (n: { name: string }) => `'${n.name}' cannot be the name of a migration, or there is one of this name.`,
      "Choose another one, of letters, digits and hyphens.",
    ),
    MODEL_NEEDED: define(
      () => "The settings name no module with a model, or it exports none.",
      'Name it in the settings: model: "src/model.ts", and export from it what model() gave.',
    ),
    LOSS_REFUSED: define(
      (n: { losses: readonly string[]; renames: readonly string[] }) =>
        `The model asks for what loses data, or may not hold what is there:\n${n.losses.map((loss) => `  ${loss}`).join("\n")}`,
      (n: { losses: readonly string[]; renames: readonly string[] }) => {
        const allow = `Allow each by its words, --allow "${n.losses[0]}", or all with --allow all.`;
        return n.renames.length === 0
          ? allow
          : `If it goes on under another name, say so: ${n.renames.map((one) => `--rename ${one}`).join(" or ")}. Else: ${allow}`;
      },
    ),
  }) as const;
