import { type AppliedMigration, applyMigrations } from "gemach/schema";
import pc from "picocolors";
import { migrationsOf, openDatabase, type Project } from "../project/index.js";
import { milliseconds, plural, print, printJson, progress, progressEnds } from "./terminal.js";

/** How migrations are applied. */
export interface ApplyCommand {
  readonly database: string | undefined;
  readonly to: string | undefined;
  readonly undo: boolean;
  readonly dryRun: boolean;
  readonly late: boolean;
  readonly json: boolean;
}

const words: Readonly<Record<AppliedMigration["outcome"], string>> = {
  applied: pc.green("applied"),
  undone: pc.yellow("undone"),
  recorded: pc.cyan("was there"),
  planned: pc.dim("would run"),
};

/** Applies what is pending to a database, or undoes what ran. */
export async function apply(project: Project, { json, database, ...options }: ApplyCommand): Promise<void> {
  const opened = await openDatabase(project, database, true);
  const { db, close, name } = opened;
  try {
    const migrations = await migrationsOf(project, db.dialect.name);
    const applied = await applyMigrations(db, migrations, {
      ...options,
      progress: ({ label, at, of, statement }) =>
        progress(`${label}: ${at} of ${of}: ${statement.replaceAll(/\s+/g, " ")}`),
    });
    progressEnds();
    if (json) {
      printJson({ database: name, engine: db.dialect.engine, migrations: applied });
      return;
    }
    print(pc.bold(`${name} (${db.dialect.engine})`));
    for (const { label, outcome, statements, isCode, milliseconds: time } of applied) {
      const taken = outcome === "planned" || outcome === "recorded" ? "" : pc.dim(` · ${milliseconds(time)}`);
      const what = isCode ? "code" : plural(statements.length, "statement");
      print(`  ${words[outcome]} ${label} ${pc.dim(`· ${what}`)}${taken}`);
      if (outcome === "planned")
        for (const statement of statements) print(pc.dim(`    ${statement.replaceAll("\n", "\n    ")};`));
    }
    if (applied.length === 0)
      print(
        migrations.length === 0
          ? "  The folder has no migrations: `gemach draft <name>` drafts one."
          : "  Nothing is pending.",
      );
  } finally {
    await close();
  }
}
