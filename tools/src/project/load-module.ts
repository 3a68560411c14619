import { chmodSync, existsSync, mkdirSync, statSync } from "node:fs";
import { dirname, join } from "node:path";
import { createJiti } from "jiti";

/** Modules that must be the very ones that this program runs with, or are not to be read as TypeScript. */
const native = ["gemach", "better-sqlite3", "pg", "mysql2", "@electric-sql/pglite"];

/**
 * Where modules are kept as JavaScript, by their content: among the project's packages, which a third of a command's
 * time is saved by. In a folder that nobody else reads or writes, since what is kept may hold secrets, and is run.
 */
function keptIn(folder: string): string | false {
  const packages = join(folder, "node_modules");
  const above = dirname(folder);
  if (!existsSync(packages)) return above === folder ? false : keptIn(above);
  const kept = join(packages, ".cache", "gemach");
  try {
    mkdirSync(dirname(kept), { recursive: true });
    mkdirSync(kept, { recursive: true, mode: 0o700 });
    if (isOthers(kept)) chmodSync(kept, 0o700);
    return kept;
  } catch {
    // A folder of somebody else's, or one that cannot be written.
    return false;
  }
}

/** Whether others than its owner may do something with a file; where files have no such modes, nobody is another. */
const isOthers = (path: string): boolean => process.platform !== "win32" && (statSync(path).mode & 0o077) !== 0;

/** Loads a module of the user's, in TypeScript too. */
export async function moduleAt(file: string): Promise<Readonly<Record<string, unknown>>> {
  // What only its owner may read is kept nowhere else.
  const isPrivate = process.platform !== "win32" && existsSync(file) && (statSync(file).mode & 0o044) === 0;
  const fsCache = isPrivate ? false : keptIn(dirname(file));
  const jiti = createJiti(import.meta.url, { nativeModules: native, sourceMaps: true, fsCache });
  return await jiti.import(file);
}
