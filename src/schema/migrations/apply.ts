import type { AnyDatabase, Database } from "../../database/index.js";
import { GemachError, toolError } from "../../errors/index.js";
import { tableKey } from "../../model/index.js";
import { readTables } from "../catalogue/read.js";
import { tableLabel } from "../compare/change.js";
import { journalIn, journalOf, recordDone } from "./journal.js";
import { labelOf, type Migration, migrationNamed, type Script, scriptOf } from "./migration.js";
import { obstaclesIn, obstacleText } from "./preconditions.js";
import { sendText } from "./send.js";
import { type MigrationStatus, statusOf } from "./status.js";
import { type Direction, textOf, wayOf } from "./ways.js";

/** How migrations are applied. */
export interface ApplyOptions {
  /** The last one to be done, by its number or name: those after it are left pending, or are undone with `undo`. */
  readonly to?: string | undefined;
  /** Undoes: the last one that is done, or all that come after `to`. */
  readonly undo?: boolean;
  /** Only looks: gives what would be done, and whether rows are in its way. */
  readonly dryRun?: boolean;
  /** Runs also those whose number is lower than that of one that has run. */
  readonly late?: boolean;
  /** Is told of each statement before it is sent. */
  readonly progress?: (step: {
    readonly label: string;
    readonly at: number;
    readonly of: number;
    readonly statement: string;
  }) => void;
}

/** A migration that was applied, or would be. */
export interface AppliedMigration {
  readonly label: string;
  /** `recorded`: its tables were there before, so that it was only written down. */
  readonly outcome: "applied" | "undone" | "recorded" | "planned";
  readonly statements: readonly string[];
  /** Whether it is code, of whose statements nothing is known beforehand. */
  readonly isCode: boolean;
  readonly milliseconds: number;
}

const scriptIn = (migration: Migration, direction: Direction, db: AnyDatabase): Script =>
  scriptOf(textOf(migration, direction), db.dialect.name);

/**
 * The migrations that are to be done or undone, in this order.
 * @throws GemachError `MIGRATION_LATE`, `MIGRATION_UNKNOWN`
 */
function chosenOf(
  statuses: readonly MigrationStatus[],
  { to, undo = false, late: deferred = false }: ApplyOptions,
): readonly Migration[] {
  const migrations = statuses.map(({ migration }) => migration);
  const last = to === undefined ? undefined : migrations.indexOf(migrationNamed(migrations, to));
  if (undo) {
    const done = statuses.filter(({ state }) => state !== "pending");
    const after =
      last === undefined ? done.slice(-1) : done.filter(({ migration }) => migrations.indexOf(migration) > last);
    return after.map(({ migration }) => migration).reverse();
  }
  const wanted = statuses.filter(({ state }, i) => state !== "done" && (last === undefined || i <= last));
  const newest = statuses.filter(({ state }) => state === "done").at(-1)?.migration;
  const behind = wanted.find(
    ({ migration, state }) => state === "pending" && newest !== undefined && migration.number < newest.number,
  );
  if (behind !== undefined && newest !== undefined && !deferred)
    throw toolError("MIGRATION_LATE", { label: labelOf(behind.migration), after: labelOf(newest) });
  return wanted.map(({ migration }) => migration);
}

/** Refuses a migration in whose way rows are. */
async function refuseObstacles(db: AnyDatabase, migration: Migration, script: Script): Promise<void> {
  const obstacles = await obstaclesIn(db, script.preconditions);
  if (obstacles.length > 0)
    throw toolError("MIGRATION_REFUSED", {
      label: labelOf(migration),
      found: obstacles.map(obstacleText).join("\n"),
    });
}

/**
 * Whether all tables of a starting point are there already, so that it is only to be written down.
 * @throws GemachError `START_UNFIT` where some are, and some are not
 */
async function isThere(db: AnyDatabase, migration: Migration, { startsWith }: Script): Promise<boolean> {
  if (startsWith.length === 0) return false;
  const schemas = [...new Set(startsWith.map(({ schema }) => schema))];
  const found = new Set((await readTables(db, schemas)).map(tableKey));
  const missing = startsWith.filter((table) => !found.has(tableKey(table))).map(tableLabel);
  const there = startsWith.filter((table) => found.has(tableKey(table))).map(tableLabel);
  if (there.length > 0 && missing.length > 0)
    throw toolError("START_UNFIT", { label: labelOf(migration), there, missing });
  return missing.length === 0;
}

/**
 * Applies migrations to a database: what is pending, in their order, each whole or not at all where the engine can;
 * where it cannot (MariaDB), a journal says statement by statement how far it got, and the next call goes on from
 * there. Two that apply at once wait for each other.
 * @throws GemachError `MIGRATION_CHANGED`, `MIGRATION_MISSING`, `MIGRATION_LATE`, `MIGRATION_REFUSED`,
 * `MIGRATION_FAILED`, `MIGRATION_UNDO`, `START_UNFIT`
 */
export async function applyMigrations(
  db: Database,
  migrations: readonly Migration[],
  options: ApplyOptions = {},
): Promise<readonly AppliedMigration[]> {
  const direction: Direction = options.undo === true ? "undo" : "forward";
  const applied: AppliedMigration[] = [];
  const chosen = chosenOf(
    await statusOf(migrations, await (options.dryRun === true ? journalIn(db) : journalOf(db))),
    options,
  );
  for (const migration of chosen) {
    const label = labelOf(migration);
    const began = performance.now();
    const script = scriptIn(migration, direction, db);
    const { statements } = script;
    const taken = () => performance.now() - began;
    const isCode = migration.code !== undefined;
    const isRecorded = direction === "forward" && (await isThere(db, migration, script));
    if (isRecorded) {
      if (options.dryRun !== true) await recordDone(db, migration, statements.length);
      applied.push({ label, outcome: "recorded", statements: [], isCode, milliseconds: taken() });
      continue;
    }
    // What comes first may be what makes way for what comes after it.
    if (options.dryRun === true) {
      if (applied.length === 0) await refuseObstacles(db, migration, script);
      applied.push({ label, outcome: "planned", statements, isCode, milliseconds: 0 });
      continue;
    }
    const tell = (at: number): void =>
      options.progress?.({ label, at: at + 1, of: statements.length, statement: statements[at] as string });
    const hasRun = await wayOf(db, script)(db, migration, direction, {
      statements,
      refuse: (on) => refuseObstacles(on, migration, script),
      send: async (on, at, isWhole) => {
        const statement = statements[at] as string;
        tell(at);
        try {
          await sendText(on, statement, `migration ${label}`);
        } catch (error) {
          if (!(error instanceof GemachError)) throw error;
          const names = {
            label,
            statement,
            at: at + 1,
            of: statements.length,
            reason: error.message.split("\n")[0] as string,
            isWhole,
          };
          throw toolError("MIGRATION_FAILED", names, { cause: error });
        }
      },
    });
    if (hasRun)
      applied.push({
        label,
        outcome: direction === "undo" ? "undone" : "applied",
        statements,
        isCode,
        milliseconds: taken(),
      });
  }
  return applied;
}
