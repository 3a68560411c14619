import { existsSync, mkdirSync, readdirSync, readFileSync, writeFileSync } from "node:fs";
import { join, relative, resolve } from "node:path";
import type { DialectName } from "gemach";
import type { Migration, MigrationCode } from "gemach/schema";
import { labelOf, toolError } from "gemach/tooling";
import type { Project } from "./load.js";
import { moduleAt } from "./load-module.js";

/** The folder of migrations where the settings name none. */
const usualFolder = "migrations";

const sqlFile = /^(\d+)-([\p{L}\p{N}_-]+)\.(sqlite|postgres|mariadb)(\.undo)?\.sql$/u;
const codeFile = /^(\d+)-([\p{L}\p{N}_-]+)\.(?:ts|mts|js|mjs)$/u;

/** The folder of a project's migrations. */
export const migrationFolder = ({ folder, settings }: Pick<Project, "folder" | "settings">): string =>
  resolve(folder, settings.migrations ?? usualFolder);

/** The folder as it is seen from where the program runs. */
export const folderLabel = (folder: string): string => relative(process.cwd(), folder) || ".";

/** What one number and name has in the folder. */
interface Parts {
  readonly number: number;
  readonly name: string;
  readonly files: Map<string, string>;
  code?: string;
}

function partsIn(folder: string): readonly Parts[] {
  if (!existsSync(folder)) return [];
  const parts = new Map<string, Parts>();
  for (const file of readdirSync(folder).sort()) {
    if (file.startsWith(".") || file.endsWith(".md") || file.endsWith(".d.ts")) continue;
    const sql = sqlFile.exec(file);
    const [, number, name] = sql ?? codeFile.exec(file) ?? [];
    if (number === undefined || name === undefined)
      throw toolError("MIGRATION_NAME", { file, reason: "its name is not of such a form" });
    const key = `${Number(number)}-${name}`;
    const part: Parts = parts.get(key) ?? { number: Number(number), name, files: new Map() };
    parts.set(key, part);
    if (sql === null) part.code = file;
    else part.files.set(`${sql[3]}${sql[4] ?? ""}`, file);
  }
  return [...parts.values()];
}

async function codeIn(folder: string, file: string): Promise<MigrationCode> {
  const { forward, undo } = (await moduleAt(join(folder, file))) as { forward?: unknown; undo?: unknown };
  if (typeof forward !== "function" || (undo !== undefined && typeof undo !== "function"))
    throw toolError("MIGRATION_NAME", {
      file,
      reason: "it is code, and exports no function 'forward', or an 'undo' that is none",
    });
  return { forward, ...(undo === undefined ? {} : { undo }) } as MigrationCode;
}

/**
 * The migrations of a project for one engine.
 * @throws GemachError `MIGRATION_NAME`, `MIGRATION_VARIANT`
 */
export async function migrationsOf(
  project: Pick<Project, "folder" | "settings">,
  dialect: DialectName,
): Promise<readonly Migration[]> {
  const folder = migrationFolder(project);
  const textOf = (file: string): string => readFileSync(join(folder, file), "utf8");
  const migrations: Migration[] = [];
  for (const { number, name, files, code } of partsIn(folder)) {
    if (code !== undefined) {
      migrations.push({ number, name, content: textOf(code), code: await codeIn(folder, code) });
      continue;
    }
    const file = files.get(dialect);
    if (file === undefined) throw toolError("MIGRATION_VARIANT", { label: labelOf({ number, name }), engine: dialect });
    const undo = files.get(`${dialect}.undo`);
    migrations.push({ number, name, content: textOf(file), undo: undo === undefined ? undefined : textOf(undo) });
  }
  return migrations;
}

/** The number of the next migration, and the names that there are. */
export function nextMigration(project: Pick<Project, "folder" | "settings">): {
  readonly number: number;
  readonly names: readonly string[];
} {
  const parts = partsIn(migrationFolder(project));
  return { number: Math.max(0, ...parts.map(({ number }) => number)) + 1, names: parts.map(({ name }) => name) };
}

/** Writes the files of a migration; gives their names. */
export function writeMigration(
  project: Pick<Project, "folder" | "settings">,
  label: string,
  texts: Readonly<Partial<Record<DialectName, { readonly forward: string; readonly undo: string | undefined }>>>,
): readonly string[] {
  const folder = migrationFolder(project);
  mkdirSync(folder, { recursive: true });
  return Object.entries(texts).flatMap(([dialect, { forward, undo }]) => {
    const files = [
      [`${label}.${dialect}.sql`, forward],
      ...(undo === undefined ? [] : [[`${label}.${dialect}.undo.sql`, undo]]),
    ] as const;
    for (const [file, text] of files) writeFileSync(join(folder, file as string), text as string);
    return files.map(([file]) => join(folderLabel(folder), file as string));
  });
}
