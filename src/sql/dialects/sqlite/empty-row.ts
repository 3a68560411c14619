import type { ResolvedEntity } from "../../../ir/index.js";

/**
 * By any of these a row's own number can be named that no column is called (SQLite, "ROWIDs and the INTEGER PRIMARY
 * KEY").
 */
const names = ["rowid", "oid", "_rowid_"];

/**
 * A row that gives no column a value: "default values" takes no conflict behind it, while a row's number may be left to
 * the engine.
 */
export function emptySqliteRow({ columns }: ResolvedEntity, hasConflict: boolean): string {
  if (!hasConflict) return "default values";
  const taken = new Set([...columns.values()].map(({ name }) => name.toLowerCase()));
  return `(${names.find((name) => !taken.has(name))}) values (null)`;
}
