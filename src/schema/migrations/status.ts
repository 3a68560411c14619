import { toolError } from "../../errors/index.js";
import type { JournalEntry } from "./journal.js";
import { checksumOf, labelOf, type Migration } from "./migration.js";

/** Where a migration stands on a database. `begun`: it was stopped in the middle, and is to go on. */
export type MigrationState = "done" | "pending" | "begun";

/** A migration, and where it stands. */
export interface MigrationStatus {
  readonly migration: Migration;
  readonly state: MigrationState;
  readonly entry: JournalEntry | undefined;
}

/** Lines that only one of two texts has, the few first. */
function differenceOf(before: string, after: string): string {
  const lines = (text: string) => text.replaceAll("\r\n", "\n").trimEnd().split("\n");
  const [old, now] = [lines(before), lines(after)];
  const first = old.findIndex((line, i) => line !== now[i]);
  const at = first < 0 ? old.length : first;
  let [oldEnd, nowEnd] = [old.length, now.length];
  while (oldEnd > at && nowEnd > at && old[oldEnd - 1] === now[nowEnd - 1]) {
    oldEnd--;
    nowEnd--;
  }
  const shown = (sign: string, part: readonly string[]) => part.slice(0, 8).map((line) => `  ${sign} ${line}`);
  return [`  line ${at + 1}`, ...shown("-", old.slice(at, oldEnd)), ...shown("+", now.slice(at, nowEnd))].join("\n");
}

const inOrder = (left: Migration, right: Migration): number =>
  left.number - right.number || (left.name < right.name ? -1 : left.name > right.name ? 1 : 0);

/**
 * Where each migration stands, in their order.
 * @throws GemachError `MIGRATION_TWICE`; `MIGRATION_CHANGED` and `MIGRATION_MISSING` where what ran is not what the
 * folder has
 */
export async function statusOf(
  migrations: readonly Migration[],
  entries: readonly JournalEntry[],
): Promise<readonly MigrationStatus[]> {
  const byName = new Map(entries.map((entry) => [entry.name, entry]));
  const sorted = [...migrations].sort(inOrder);
  const statuses: MigrationStatus[] = [];
  for (const migration of sorted) {
    const others = sorted.filter(({ name }) => name === migration.name);
    if (others.length > 1) throw toolError("MIGRATION_TWICE", { name: migration.name, files: others.map(labelOf) });
    const entry = byName.get(migration.name);
    const isDone = entry !== undefined && entry.ended !== null && entry.done >= 0;
    if (isDone && entry.checksum !== (await checksumOf(migration.content)))
      throw toolError("MIGRATION_CHANGED", {
        label: labelOf(migration),
        difference: differenceOf(entry.content, migration.content),
      });
    statuses.push({ migration, entry, state: entry === undefined ? "pending" : isDone ? "done" : "begun" });
  }
  const missing = entries.filter(({ name }) => !sorted.some((one) => one.name === name));
  if (missing.length > 0) throw toolError("MIGRATION_MISSING", { names: missing.map(labelOf) });
  return statuses;
}
