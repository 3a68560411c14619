import { createInterface } from "node:readline/promises";
import { changeLabel, type Renames } from "gemach/schema";
import { tableLabel } from "gemach/tooling";
import pc from "picocolors";
import { draftMigration, type EngineDraft, type Project, type RenameQuestion } from "../project/index.js";
import { plural, print, printJson, progress, progressEnds, wrapped } from "./terminal.js";

/** How a migration is drafted. */
export interface DraftCommand {
  readonly database: readonly string[];
  readonly from: "migrations" | "database" | undefined;
  /** "loan.due=due_on", "member=person" */
  readonly rename: readonly string[];
  readonly allow: readonly string[];
  readonly online: boolean;
  readonly dryRun: boolean;
  readonly json: boolean;
}

/** Renames as they were given: "table=name", "table.column=name". */
function renamesIn(given: readonly string[]): Renames {
  const tables: Record<string, string> = {};
  const columns: Record<string, string> = {};
  for (const one of given) {
    const [from = "", to = ""] = one.split("=");
    if (from.includes(".")) columns[from.trim()] = to.trim();
    else tables[from.trim()] = to.trim();
  }
  return { tables, columns };
}

/** Asks at the terminal whether one thing is another under a new name. */
async function asked({ what, from, to }: RenameQuestion): Promise<boolean> {
  progressEnds();
  const line = createInterface({ input: process.stdin, output: process.stderr });
  try {
    const answer = await line.question(`Is the ${what} ${pc.bold(from)} now called ${pc.bold(to)}? [y/N] `);
    return /^y(es)?$/i.test(answer.trim());
  } finally {
    line.close();
  }
}

const engineName = { sqlite: "SQLite", postgres: "PostgreSQL", mariadb: "MariaDB" } as const;

/** Tables of fewer rows are changed in no time. */
const fewRows = 10_000;

/** What stands at the beginning of a change: what comes, what goes, what is another. */
const signOf = (label: string): string =>
  /^(?:create|add)/.test(label) ? pc.green("+") : label.startsWith("drop") ? pc.red("-") : pc.yellow("~");

function draftText({ engine, changes, losses, obstacles, blocks, undo }: EngineDraft): string {
  const lines = [pc.bold(`For ${engineName[engine]}: ${plural(changes.length, "change")}`)];
  for (const change of changes) lines.push(wrapped(`${signOf(changeLabel(change))} ${changeLabel(change)}`, "  "));
  for (const loss of losses) lines.push(wrapped(pc.red(`loses or narrows, as you allow: ${loss}`), "  "));
  for (const { meaning, rows, query } of obstacles) {
    lines.push(
      wrapped(pc.yellow(`! ${plural(rows, "row is", "rows are")} in its way on this database: ${meaning}`), "  "),
    );
    lines.push(wrapped(pc.dim(query.replaceAll("\n", " ")), "    "));
  }
  for (const { table, changes: slow, effect, rows, instead } of blocks) {
    if (rows !== undefined && rows < fewRows) continue;
    const size = rows === undefined ? "" : `, of about ${plural(rows, "row")}`;
    lines.push(wrapped(`${pc.yellow("blocks")} ${tableLabel(table)}${size}: ${effect} (${slow.join("; ")})`, "  "));
    if (instead !== undefined) lines.push(wrapped(pc.dim(instead), "    "));
  }
  if (undo.statements.length === 0) lines.push("  nothing undoes it");
  return lines.join("\n");
}

/** Drafts a migration, and shows what it does. */
export async function draft(project: Project, name: string, options: DraftCommand): Promise<void> {
  const { database, from, rename, allow, online, dryRun, json } = options;
  const isAsked = process.stdin.isTTY === true && !json;
  const drafted = await draftMigration(project, name, {
    ...(database.length === 0 ? {} : { databases: database }),
    ...(from === undefined ? {} : { from }),
    renames: renamesIn(rename),
    allow,
    isOnline: online,
    isDry: dryRun,
    progress,
    ...(isAsked ? { ask: asked } : {}),
  });
  progressEnds();
  const { label, labels, drafts, files, start } = drafted;
  if (json) {
    const told = drafts.map(({ changes, ...one }) => ({ ...one, changes: changes.map(changeLabel) }));
    printJson({ label: label ?? null, labels, start: start ?? null, files, drafts: told });
    return;
  }
  if (start !== undefined) print(`${pc.bold(start)} says what was there before the first migration.`);
  if (label === undefined) {
    print("The model asks for nothing that is not there: no migration is needed.");
  } else {
    print(pc.bold(label));
    const later = labels.find((one) => /-(?:after|settled)$/.test(one));
    const waits = later === undefined ? "" : `; from ${later} on they run once the new code is out`;
    if (labels.length > 1) print(`  in ${plural(labels.length, "step")}: ${labels.join(", ")}${waits}`);
    for (const one of drafts) print(draftText(one));
  }
  if (dryRun) for (const one of drafts) for (const statement of one.statements) print(`\n${statement};`);
  for (const file of files) print(`${pc.green("wrote")} ${file}`);
  if (label !== undefined && !dryRun) print(pc.dim("Read it, and change it as you need; then: gemach apply"));
}
