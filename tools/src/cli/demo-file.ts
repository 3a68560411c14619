import { existsSync, rmSync } from "node:fs";
import { GemachError } from "gemach";
import { type OpenedSqlite, openSqlite } from "../project/index.js";

/** Marks a file as the demo's own (SQLite's pragma application_id), so that no other file is ever replaced: "gmch". */
const mark = 0x676d6368;

async function isOurs(file: string): Promise<boolean> {
  const handle = await openSqlite(file);
  try {
    const row = handle.prepare("pragma application_id").all()[0] as { application_id?: number } | undefined;
    return row?.application_id === mark;
  } catch {
    return false;
  } finally {
    handle.close();
  }
}

/** Removes a file of the demo's, with what SQLite has beside it. */
export function removeDemoFile(file: string): void {
  for (const suffix of ["", "-wal", "-shm"]) rmSync(`${file}${suffix}`, { force: true });
}

/**
 * Opens a new file for the demo, in place of one that an earlier demo left.
 * @throws GemachError `FILE_UNUSABLE` where a file is there that is not the demo's.
 */
export async function openDemoFile(file: string): Promise<OpenedSqlite> {
  if (existsSync(file)) {
    if (!(await isOurs(file)))
      throw new GemachError("FILE_UNUSABLE", {
        file,
        reason: "it is there already and no demo made it; name another with --file",
      });
    removeDemoFile(file);
  }
  const handle = await openSqlite(file);
  handle.exec(`pragma application_id = ${mark}`);
  return handle;
}
