import { type Database, type Dialect, type DialectName, GemachError } from "gemach";
import {
  applyMigrations,
  type Change,
  draftBetween,
  formerNames,
  onlineSteps,
  type Renames,
  readTables,
} from "gemach/schema";
import {
  blocksOf,
  fileName,
  labelOf,
  type Obstacle,
  obstaclesIn,
  readSizes,
  type TableLayout,
  type TableReference,
  tableKey,
  tableLabel,
  toolError,
} from "gemach/tooling";
import { type EngineDraft, writeDraft, writeStart } from "./draft-files.js";
import { schemasOf, tablesOfModel } from "./entities.js";
import type { Project } from "./load.js";
import { migrationsOf, nextMigration } from "./migration-folder.js";
import { openDatabase } from "./open.js";
import { openScratch } from "./scratch.js";

/** How a migration is drafted. */
export interface DraftOptions {
  /** The names of the databases; all of the settings by default. One of each engine is enough. */
  readonly databases?: readonly string[];
  /** The state that the model is compared with: that of the migrations, or of the database itself. */
  readonly from?: "migrations" | "database";
  readonly renames?: Renames;
  /** The losses that are meant, by their words; "all" for any. */
  readonly allow?: readonly string[];
  /** Whether it is to be written in steps that keep nobody waiting. */
  readonly isOnline?: boolean;
  /** Whether nothing is to be written. */
  readonly isDry?: boolean;
  /** Is asked of what may be a rename: a column that goes, and one that comes. */
  readonly ask?: (question: RenameQuestion) => Promise<boolean>;
  readonly progress?: (what: string) => void;
}

/** What goes and what comes in the same place: they may be one. */
export interface RenameQuestion {
  readonly what: "table" | "column";
  /** "loan.due" or "loan". */
  readonly from: string;
  readonly to: string;
}

/** A migration as it was drafted. */
export interface ProjectDraft {
  /** "003-due-index"; undefined where there is nothing to do. */
  readonly label: string | undefined;
  /** Its statements, and those of its further steps. */
  readonly labels: readonly string[];
  readonly drafts: readonly EngineDraft[];
  readonly files: readonly string[];
  /** The migration that says what was there before the first one, where this is the first. */
  readonly start: string | undefined;
}

const none: Renames = { tables: {}, columns: {} };

/** One of the databases for each engine. */
async function oneOfEach(project: Project, names: readonly string[]) {
  const opened = new Map<DialectName, Awaited<ReturnType<typeof openDatabase>>>();
  for (const name of names) {
    const one = await openDatabase(project, name, true);
    if (opened.has(one.db.dialect.name)) await one.close();
    else opened.set(one.db.dialect.name, one);
  }
  return [...opened.values()];
}

/** The tables that a project's migrations make of nothing. */
export async function tablesOfMigrations(
  project: Project,
  name: string,
  dialect: DialectName,
  schemas: readonly (string | undefined)[],
): Promise<readonly TableLayout[]> {
  const migrations = await migrationsOf(project, dialect);
  if (migrations.length === 0) return [];
  const scratch = await openScratch(project, name);
  try {
    // Data is no matter of tables, and there is none here.
    await applyMigrations(scratch.db, migrations);
    return await readTables(scratch.db, schemas);
  } finally {
    await scratch.close();
  }
}

/** Asks of tables and columns that go where others come. */
async function renamesAsked(
  found: readonly TableLayout[],
  wanted: readonly TableLayout[],
  dialect: Dialect,
  given: Renames,
  ask: NonNullable<DraftOptions["ask"]>,
): Promise<Renames> {
  const known = withFormer(found, wanted, given);
  const columns: Record<string, string> = { ...known.columns };
  const tables: Record<string, string> = { ...known.tables };
  const changes = draftBetween(found, wanted, known, dialect).changes;
  const of = <K extends Change["kind"]>(kind: K) =>
    changes.filter((change): change is Extract<Change, { kind: K }> => change.kind === kind);
  for (const { table: gone } of of("drop table"))
    for (const { table: come } of of("create table")) {
      const alike = come.columns.filter(({ name }) => gone.columns.some((column) => column.name === name)).length;
      if (come.schema !== gone.schema || alike * 2 < gone.columns.length || Object.values(tables).includes(come.table))
        continue;
      if (
        !Object.hasOwn(tables, tableLabel(gone)) &&
        (await ask({ what: "table", from: tableLabel(gone), to: come.table }))
      )
        tables[tableLabel(gone)] = come.table;
    }
  for (const { table, column: gone } of of("drop column"))
    for (const { table: other, column: come } of of("add column")) {
      if (
        tableKey(table) !== tableKey(other) ||
        gone.name === come.name ||
        gone.computed !== undefined ||
        come.computed !== undefined
      )
        continue;
      const from = `${tableLabel(table)}.${gone.name}`;
      if (
        columns[from] !== undefined ||
        Object.entries(columns).some(([path, to]) => path.startsWith(`${tableLabel(table)}.`) && to === come.name)
      )
        continue;
      if (await ask({ what: "column", from, to: come.name })) columns[from] = come.name;
    }
  return { tables, columns };
}

async function draftFor(
  db: Database,
  name: string,
  found: readonly TableLayout[],
  wanted: readonly TableLayout[],
  renames: Renames,
  isOnline: boolean,
): Promise<EngineDraft> {
  const { dialect } = db;
  const builder = draftBetween(found, wanted, withFormer(found, wanted, renames), dialect);
  const there = new Set((await readTables(db, schemasOf(wanted))).filter(({ kind }) => kind === "table").map(tableKey));
  const isInSteps = isOnline && dialect.name !== "sqlite";
  const plain = isInSteps ? onlineSteps(builder.transition, dialect).flatMap((step) => step.plain) : builder.changes;
  const blocks = blocksOf(plain, dialect.name, isInSteps).filter(({ table }) => there.has(tableKey(table)));
  const sizes = await readSizes(
    db,
    blocks.map(({ table }) => table),
  );
  let obstacles: readonly Obstacle[] = [];
  try {
    obstacles = await obstaclesIn(db, builder.preconditions);
  } catch (error) {
    // The database is not where the migrations lead, so that nothing can be said of its rows.
    if (!(error instanceof GemachError)) throw error;
  }
  return {
    ...builder,
    engine: dialect.name,
    database: name,
    obstacles,
    blocks: blocks.map((block) => ({ ...block, rows: sizes.get(tableKey(block.table)) })),
  };
}

/** Renames that were said, and those that the model speaks of. */
const withFormer = (
  found: readonly TableLayout[],
  wanted: readonly TableLayout[],
  { tables, columns }: Renames,
): Renames => {
  const former = formerNames(found, wanted);
  return { tables: { ...former.tables, ...tables }, columns: { ...former.columns, ...columns } };
};

/** Tables that a model has, under the name that they had before. */
function ofModel(
  found: readonly TableLayout[],
  wanted: readonly TableLayout[],
  { tables }: Renames,
): readonly TableLayout[] {
  const known = new Set(wanted.map(tableKey));
  const isOurs = (table: TableReference) => known.has(tableKey(table)) || Object.hasOwn(tables, tableLabel(table));
  return found
    .filter(isOurs)
    .map((table) => ({ ...table, foreignKeys: table.foreignKeys.filter(({ target }) => isOurs(target)) }));
}

const isEmpty = (tables: readonly TableLayout[]): boolean => !tables.some(({ kind }) => kind === "table");

/**
 * Drafts the migration that brings the tables of a project's databases to what its model says, with one file an engine
 * and what undoes it. The first migration of a database that existed is preceded by one that says what was there.
 * @throws GemachError `DRAFT_NAME`, `MODEL_NEEDED`, `LOSS_REFUSED`, `SCRATCH_UNABLE`, and what migrations throw
 */
export async function draftMigration(
  project: Project,
  name: string,
  options: DraftOptions = {},
): Promise<ProjectDraft> {
  const { renames = none, allow = [], isDry = false, isOnline = false, ask, progress } = options;
  const { number, names } = nextMigration(project);
  const chosen = fileName(name);
  if (chosen === "" || names.includes(chosen)) throw toolError("DRAFT_NAME", { name });
  const opened = await oneOfEach(project, options.databases ?? Object.keys(project.settings.databases));
  try {
    const bases = new Map<DialectName, readonly TableLayout[]>();
    let start: string | undefined;
    for (const { db, name: database } of opened) {
      const { dialect } = db;
      const wanted = tablesOfModel(project, dialect);
      progress?.(`${database}: reading`);
      const isFirst = names.length === 0;
      const from = options.from ?? (isFirst ? "database" : "migrations");
      const base =
        from === "database"
          ? await readTables(db, schemasOf(wanted))
          : await tablesOfMigrations(project, database, dialect.name, schemasOf(wanted));
      // Tables of a database that the model does not know are somebody else's.
      const own = from === "database" ? ofModel(base, wanted, withFormer(base, wanted, renames)) : base;
      bases.set(dialect.name, own);
      if (isFirst && !isEmpty(own)) start = labelOf({ number, name: "start" });
    }
    // Answers of one engine hold for the others.
    let settled = renames;
    for (const { db } of opened)
      if (ask !== undefined)
        settled = await renamesAsked(
          bases.get(db.dialect.name) ?? [],
          tablesOfModel(project, db.dialect),
          db.dialect,
          settled,
          ask,
        );
    const drafts: EngineDraft[] = [];
    for (const { db, name: database } of opened) {
      progress?.(`${database}: comparing`);
      drafts.push(
        await draftFor(
          db,
          database,
          bases.get(db.dialect.name) ?? [],
          tablesOfModel(project, db.dialect),
          settled,
          isOnline,
        ),
      );
    }
    const losses = [...new Set(drafts.flatMap((draft) => draft.losses))].filter(
      (loss) => !allow.includes("all") && !allow.includes(loss),
    );
    if (losses.length > 0) {
      const maybe = new Set<string>();
      const note = async ({ from, to }: RenameQuestion) => {
        maybe.add(`${from}=${to}`);
        return false;
      };
      for (const { db } of opened)
        await renamesAsked(
          bases.get(db.dialect.name) ?? [],
          tablesOfModel(project, db.dialect),
          db.dialect,
          settled,
          note,
        );
      throw toolError("LOSS_REFUSED", { losses, renames: [...maybe] });
    }
    const isNothing = drafts.every(({ changes }) => changes.length === 0);
    const own = start === undefined ? number : number + 1;
    const label = isNothing ? undefined : labelOf({ number: own, name: chosen });
    if (isDry) return { label, labels: label === undefined ? [] : [label], drafts, files: [], start };
    const dialects = new Map(opened.map(({ db }) => [db.dialect.name, db.dialect]));
    const before = start === undefined ? [] : writeStart(project, start, dialects, bases);
    if (isNothing) return { label, labels: [], drafts, files: before, start };
    const written = writeDraft(project, { number: own, name: chosen, drafts, dialects, isOnline });
    return { label, labels: written.labels, drafts, files: [...before, ...written.files], start };
  } finally {
    for (const { close } of opened) await close();
  }
}
