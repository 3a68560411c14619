import type { AnyDatabase } from "../database/index.js";
import { GemachError } from "../errors/index.js";
import { connectionOf, sendOwn, type WireRows } from "../run/index.js";

/** An index that a database has. */
export interface FoundIndex {
  readonly table: string;
  readonly name: string;
  readonly columns: readonly string[];
  readonly isUnique: boolean;
  /** Whether only some of the rows are in it. */
  readonly isPartial: boolean;
}

/** A statement as a server's own statistics have it. */
export interface ServerStatement {
  readonly statement: string;
  readonly calls: number;
  readonly milliseconds: number;
  readonly rows: number;
}

const rowsOf = (db: AnyDatabase, text: string) =>
  sendOwn(connectionOf(db, "audit").sender, text, "what the database knows of itself");

/** The indexes of a database's tables. */
export async function readIndexes(db: AnyDatabase): Promise<readonly FoundIndex[]> {
  const found = new Map<string, FoundIndex & { readonly columns: string[] }>();
  for (const [table, name, column, , isUnique, isPartial] of await rowsOf(db, db.dialect.catalogue.indexes)) {
    const key = JSON.stringify([table, name]);
    const index = found.get(key) ?? {
      ...{ table: String(table), name: String(name), columns: [] },
      ...{ isUnique: Number(isUnique) === 1, isPartial: Number(isPartial) === 1 },
    };
    found.set(key, index);
    index.columns.push(String(column));
  }
  return [...found.values()];
}

/** Rows of a server's own statistics; none where it keeps no such, or does not show them to this user. */
async function statisticsOf(db: AnyDatabase, text: string | undefined): Promise<WireRows> {
  try {
    return text === undefined ? [] : await rowsOf(db, text);
  } catch (error) {
    if (!(error instanceof GemachError)) throw error;
    return [];
  }
}

/** Indexes that nothing was looked up by since the server's statistics began. */
export async function readUnusedIndexes(
  db: AnyDatabase,
): Promise<readonly { readonly table: string; readonly index: string }[]> {
  const rows = await statisticsOf(db, db.dialect.catalogue.unusedIndexes);
  return rows.map(([table, index]) => ({ table: String(table), index: String(index) }));
}

/** The statements that took most of a server's time, by its own statistics. */
export async function readStatements(db: AnyDatabase): Promise<readonly ServerStatement[]> {
  const rows = await statisticsOf(db, db.dialect.catalogue.statements);
  return rows.map(([statement, calls, milliseconds, count]) => ({
    ...{ statement: String(statement), calls: Number(calls) },
    ...{ milliseconds: Number(milliseconds), rows: Number(count) },
  }));
}
