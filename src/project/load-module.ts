import { createJiti } from "jiti";

/** Modules that must be the very ones that this program runs with, or are not to be read as TypeScript. */
const native = ["gemach", "better-sqlite3", "pg", "mysql2", "@electric-sql/pglite"];

/** Loads a module of the user's, in TypeScript too. */
export async function moduleAt(file: string): Promise<Readonly<Record<string, unknown>>> {
  const jiti = createJiti(import.meta.url, { nativeModules: native, sourceMaps: true, fsCache: false });
  return await jiti.import(file);
}
