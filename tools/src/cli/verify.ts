import pc from "picocolors";
import { type Project, verifyProject } from "../project/index.js";
import { failed, plural, print, printJson, progress, progressEnds, wrapped } from "./terminal.js";

/** How a project is verified. */
export interface VerifyCommand {
  readonly database: readonly string[];
  readonly skipMigrations: boolean;
  readonly json: boolean;
}

/** Compares model, migrations and databases, and shows what differs, each with its remedy. */
export async function verify(project: Project, { database, skipMigrations, json }: VerifyCommand): Promise<void> {
  const { databases, differences } = await verifyProject(project, {
    ...(database.length === 0 ? {} : { databases: database }),
    skipsMigrations: skipMigrations,
    progress,
  });
  progressEnds();
  const wrong = differences.filter(({ kind }) => kind !== "unchecked");
  if (wrong.length > 0) process.exitCode = failed;
  if (json) {
    printJson({ databases, differences });
    return;
  }
  for (const { name, tables, migrations } of databases) {
    const own = differences.filter((one) => one.database === name);
    print(
      `${pc.bold(name)} ${pc.dim(`· ${plural(tables, "table")} of the model, ${plural(migrations, "migration")}`)}`,
    );
    if (own.length === 0) print(`  ${pc.green("as the model says")}`);
    for (const [i, { what, remedy, kind }] of own.entries()) {
      print(wrapped(`${kind === "unchecked" ? pc.yellow("?") : pc.red("≠")} ${what}`, "  "));
      // What is done about several is said once, below the last of them.
      if (own[i + 1]?.remedy !== remedy) print(wrapped(pc.dim(remedy), "      "));
    }
  }
}
