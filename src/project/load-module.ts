import { existsSync } from "node:fs";
import { dirname, join } from "node:path";
import { createJiti } from "jiti";

/** Modules that must be the very ones that this program runs with, or are not to be read as TypeScript. */
const native = ["gemach", "better-sqlite3", "pg", "mysql2", "@electric-sql/pglite"];

/**
 * Where modules are kept as JavaScript, by their content: among the project's packages, which a third of a command's time is saved by. Not in a
 * folder that others may write, since what is kept is run.
 */
function keptIn(folder: string): string | false {
  const packages = join(folder, "node_modules");
  if (existsSync(packages)) return join(packages, ".cache", "gemach");
  const above = dirname(folder);
  return above === folder ? false : keptIn(above);
}

/** Loads a module of the user's, in TypeScript too. */
export async function moduleAt(file: string): Promise<Readonly<Record<string, unknown>>> {
  const fsCache = keptIn(dirname(file));
  const jiti = createJiti(import.meta.url, { nativeModules: native, sourceMaps: true, fsCache });
  return await jiti.import(file);
}
