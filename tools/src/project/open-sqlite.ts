import { existsSync, statSync } from "node:fs";
import { dirname } from "node:path";
import { GemachError } from "gemach";
import type { SqliteHandle } from "gemach/sqlite";

/** A handle that this program opened, and closes. */
export interface OpenedSqlite extends SqliteHandle {
  close(): unknown;
}

interface BetterSqlite {
  readonly default: new (file: string) => OpenedSqlite;
}

interface NodeSqlite {
  readonly DatabaseSync: new (file: string) => OpenedSqlite;
}

/** The package, or undefined where it is not installed; a name in a variable keeps it out of bundles and types. */
export async function optional<T>(name: string): Promise<T | undefined> {
  try {
    return (await import(name)) as T;
  } catch (error) {
    const { code } = error as { code?: string };
    if (code === "ERR_MODULE_NOT_FOUND" || code === "ERR_UNKNOWN_BUILTIN_MODULE") return undefined;
    throw error;
  }
}

/**
 * Opens an SQLite file with `better-sqlite3`, or with Node's own `node:sqlite` where that is not
 * installed.
 * @throws GemachError `PACKAGE_MISSING`, `FILE_UNUSABLE`
 */
export async function openSqlite(file: string): Promise<OpenedSqlite> {
  const better = await optional<BetterSqlite>("better-sqlite3");
  const builtIn = better === undefined ? await optional<NodeSqlite>("node:sqlite") : undefined;
  if (better === undefined && builtIn?.DatabaseSync === undefined)
    throw new GemachError("PACKAGE_MISSING", { package: "better-sqlite3", purpose: "Opening an SQLite file" });
  const folder = dirname(file);
  if (!existsSync(folder) || !statSync(folder).isDirectory())
    throw new GemachError("FILE_UNUSABLE", { file, reason: "its folder does not exist" });
  try {
    if (better !== undefined) return new better.default(file);
    return new (builtIn as NodeSqlite).DatabaseSync(file);
  } catch (cause) {
    throw new GemachError("FILE_UNUSABLE", { file, reason: (cause as Error).message }, { cause });
  }
}
