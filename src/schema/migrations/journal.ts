import { integer, text, timestamp, varchar } from "../../columns/index.js";
import type { AnyDatabase } from "../../database/index.js";
import { GemachError } from "../../errors/index.js";
import { entity, model } from "../../model/index.js";
import { from } from "../../query/index.js";
import { createTables } from "../../tables/index.js";
import { checksumOf, type Migration } from "./migration.js";

/** The journal of the migrations that ran on a database. */
const journal = model({
  Entry: entity("gemach_journal", {
    name: varchar(200).key,
    number: integer,
    checksum: varchar(64),
    /** The text that ran, so that one that was changed since can be compared. */
    content: text,
    began: timestamp,
    ended: timestamp.nullable,
    /** How many of its statements are done; below zero: those that undo it, counted down from -1. */
    done: integer,
    /** What the tables were like before the statement that is under way, where an engine cannot take it back. */
    mark: varchar(64).nullable,
  }),
});

export const { Entry } = journal;

/** An entry of the journal. */
export interface JournalEntry {
  readonly name: string;
  readonly number: number;
  readonly checksum: string;
  readonly content: string;
  readonly began: Date;
  readonly ended: Date | null;
  readonly done: number;
  readonly mark: string | null;
}

/** Reads the journal of a database that is only looked at: none where it has no journal. */
export async function journalIn(db: AnyDatabase): Promise<readonly JournalEntry[]> {
  try {
    return await db.list(from(Entry).orderBy((e) => [e.number.asc, e.name.asc]));
  } catch (error) {
    if (error instanceof GemachError && error.code === "TABLE_MISSING") return [];
    throw error;
  }
}

/**
 * Returns the migrations that a database has run, in the order of the numbers; it gets its journal where it has none.
 */
export async function journalOf(db: AnyDatabase): Promise<readonly JournalEntry[]> {
  await createTables(db, journal);
  return await db.list(from(Entry).orderBy((e) => [e.number.asc, e.name.asc]));
}

/** The entry of a migration that begins now. */
export const newEntry = async ({ name, number, content }: Migration): Promise<JournalEntry> => ({
  ...{ name, number, content, checksum: await checksumOf(content), began: new Date() },
  ...{ ended: null, done: 0, mark: null },
});

/** The entry of a migration, if there is one by now. */
export const entryOf = (on: AnyDatabase, { name }: Migration): Promise<JournalEntry | null> =>
  on.maybe(from(Entry).byKey(name));

/** Writes down that a migration of so many statements is done. */
export async function recordDone(on: AnyDatabase, migration: Migration, statements: number): Promise<void> {
  const entry = await newEntry(migration);
  await on.upsert(Entry, [{ ...entry, ended: new Date(), done: statements }]);
}
