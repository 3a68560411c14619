import type { AnyDatabase, Database, Transaction } from "../../database/index.js";
import { toolError } from "../../errors/index.js";
import { from } from "../../query/index.js";
import { postgresDialect } from "../../sql/index.js";
import { tokensOf } from "../text/tokens.js";
import { Entry, entryOf, type JournalEntry, newEntry, recordDone } from "./journal.js";
import { checksumOf, labelOf, type Migration, type Script } from "./migration.js";
import { sendText } from "./send.js";

/** Whether a migration is done or undone. */
export type Direction = "forward" | "undo";

/**
 * The text by which a migration is done or undone.
 * @throws GemachError `MIGRATION_UNDO`
 */
export function textOf({ content, undo, code, ...names }: Migration, direction: Direction): string {
  if (code !== undefined) {
    if (direction === "undo" && code.undo === undefined) throw toolError("MIGRATION_UNDO", { label: labelOf(names) });
    return "";
  }
  if (direction === "forward") return content;
  if (undo === undefined) throw toolError("MIGRATION_UNDO", { label: labelOf(names) });
  return undo;
}

/** What a way needs of who goes it. */
interface Going {
  readonly statements: readonly string[];
  /** Refuses where rows are in the way. */
  readonly refuse: (on: AnyDatabase) => Promise<void>;
  /** Sends one of the statements; `isWhole`: whether all of the migration is undone where it fails. */
  readonly send: (on: AnyDatabase, at: number, isWhole: boolean) => Promise<void>;
}

/** A way to run a migration and write it down; gives whether it was not done by somebody else meanwhile. */
type RunningWay = (db: Database, migration: Migration, direction: Direction, going: Going) => Promise<boolean>;

/** A number that nothing else locks by: "gemach" in letters of the alphabet by their number. */
const lockNumber = 70_513_138;
const lockName = "gemach migrations";

const isDoneIn = (entry: JournalEntry | null, direction: Direction): boolean =>
  direction === "forward" ? entry !== null && entry.ended !== null && entry.done >= 0 : entry === null;

/** Writes down that a migration is done, or undone. */
const record = (on: AnyDatabase, migration: Migration, direction: Direction, count: number): Promise<unknown> =>
  direction === "undo" ? on.delete(from(Entry).byKey(migration.name)) : recordDone(on, migration, count);

const codeOf = ({ code }: Migration, direction: Direction) => (direction === "forward" ? code?.forward : code?.undo);

const isPragma = (statement: string): boolean => /^pragma\s/i.test(statement);

/** One transaction, which also writes it down. */
const inOneTransaction: RunningWay = async (db, migration, direction, going) => {
  const { statements, send, refuse } = going;
  // What SQLite takes outside of a transaction only stands at the beginning and the end.
  const isSqlite = db.dialect.name === "sqlite";
  const first = isSqlite ? statements.findIndex((one) => !isPragma(one)) : 0;
  const last = isSqlite ? statements.findLastIndex((one) => !isPragma(one)) : statements.length - 1;
  const from = first < 0 ? statements.length : first;
  const outside = async (begin: number, end: number): Promise<void> => {
    for (let at = begin; at < end; at++) await send(db, at, true);
  };
  await outside(0, from);
  try {
    return await db.transaction(async (tx) => {
      // It goes with the transaction, and so with its connection.
      if (db.dialect.name === "postgres")
        await sendText(tx, `select pg_advisory_xact_lock(${lockNumber})`, "the lock of migrations");
      if (isDoneIn(await entryOf(tx, migration), direction)) return false;
      await refuse(tx);
      await codeOf(migration, direction)?.(tx);
      for (let at = from; at <= last; at++) await send(tx, at, true);
      if (isSqlite && statements.some(isPragma)) await refuseBrokenKeys(tx, migration);
      await record(tx, migration, direction, statements.length);
      return true;
    });
  } finally {
    await outside(Math.max(last + 1, from), statements.length);
  }
};

/** Foreign keys that a table made anew no longer keeps: SQLite did not look at them meanwhile. */
async function refuseBrokenKeys(tx: Transaction, migration: Migration): Promise<void> {
  const rows = await sendText(tx, 'select "table", rowid, parent from pragma_foreign_key_check', "foreign keys");
  if (rows.length === 0) return;
  const found = rows.slice(0, 5).map(([table, row, parent]) => `  ${table}, row ${row}: leads to no row of ${parent}`);
  throw toolError("MIGRATION_REFUSED", { label: labelOf(migration), found: found.join("\n") });
}

/** Words of a statement that change definitions: MariaDB commits before and after it. */
const defines = /^(?:create|alter|drop|rename|truncate|grant|revoke|analyze|optimize)\b/i;

/**
 * What tables that a statement names are like, and views and triggers with them: the same text as long as nothing
 * changes.
 */
async function markOf(on: AnyDatabase, statement: string): Promise<string> {
  const { literal } = on.dialect.text;
  // As they are written: where names of tables are files, letters of either case are told apart.
  const names = new Set(
    [...tokensOf(statement, "mariadb")]
      .filter(({ kind }) => kind === "word" || kind === "name")
      .map(({ kind, text, start, end }) => (kind === "word" ? statement.slice(start, end) : text)),
  );
  const listed = [...names].map((name) => literal(name, { kind: "text" })).join(", ");
  const rows: unknown[] = [];
  for (const text of [
    `select table_name, column_name, ordinal_position, column_type, is_nullable, column_default, extra, collation_name, column_comment, generation_expression from information_schema.columns where table_schema in (database(), ${listed}) and table_name in (${listed}) order by 1, 3`,
    `select table_name, index_name, seq_in_index, column_name, non_unique, collation, sub_part from information_schema.statistics where table_schema in (database(), ${listed}) and table_name in (${listed}) order by 1, 2, 3`,
    `select table_name, constraint_name, check_clause from information_schema.check_constraints where constraint_schema in (database(), ${listed}) and table_name in (${listed}) order by 1, 2`,
    `select table_name, constraint_name, constraint_type from information_schema.table_constraints where table_schema in (database(), ${listed}) and table_name in (${listed}) order by 1, 2`,
    `select trigger_name, action_statement from information_schema.triggers where trigger_schema in (database(), ${listed}) and (trigger_name in (${listed}) or event_object_table in (${listed})) order by 1`,
    `select table_name, view_definition from information_schema.views where table_schema in (database(), ${listed}) and table_name in (${listed}) order by 1`,
    `select routine_name, routine_definition from information_schema.routines where routine_schema in (database(), ${listed}) and routine_name in (${listed}) order by 1`,
    `select schema_name, default_collation_name from information_schema.schemata where schema_name in (${listed}) order by 1`,
  ])
    rows.push(await sendText(on, text, "what the tables are like"));
  return await checksumOf(JSON.stringify(rows));
}

/** How many statements of a direction are done, as the journal has it: those that undo are counted down from -1. */
const counted = (done: number, direction: Direction): number => (direction === "undo" ? -1 - done : done);

/**
 * How far a migration got in a direction; undefined where it was not begun.
 * @throws GemachError `MIGRATION_BEGUN` where it was begun in the other one
 */
function reached(entry: JournalEntry | null, direction: Direction): number | undefined {
  if (entry === null || entry.ended !== null) return undefined;
  const begun: Direction = entry.done < 0 ? "undo" : "forward";
  if (begun !== direction) throw toolError("MIGRATION_BEGUN", { label: labelOf(entry), isUndone: begun === "undo" });
  return counted(entry.done, direction);
}

/** Work in a transaction of its own, on a connection that has none open. */
async function whole(tx: Transaction, work: () => Promise<unknown>): Promise<void> {
  await sendText(tx, "start transaction", "migrations");
  try {
    await work();
    await sendText(tx, "commit", "migrations");
  } catch (error) {
    await sendText(tx, "rollback", "migrations").catch(() => {});
    throw error;
  }
}

/**
 * Statement by statement, each written down: an engine that commits with each definition cannot take a migration back.
 * Before a definition it is noted what its tables are like: where they are no longer so, it was done before the end
 * came.
 */
const statementByStatement: RunningWay = (db, migration, direction, { statements, refuse, send }) =>
  db.transaction(async (tx) => {
    const own = (text: string) => sendText(tx, text, "migrations");
    const isMariadb = db.dialect.name === "mariadb";
    // The lock is the connection's, and ends with it.
    await own(isMariadb ? `select get_lock('${lockName}', 31536000)` : `select pg_advisory_lock(${lockNumber})`);
    await own("commit");
    try {
      const before = await entryOf(tx, migration);
      if (isDoneIn(before, direction)) return false;
      const code = codeOf(migration, direction);
      if (code !== undefined) {
        await whole(tx, async () => {
          await code(tx);
          await record(tx, migration, direction, 0);
        });
        return true;
      }
      let done = reached(before, direction);
      const note = (mark: string | null) =>
        tx.update(from(Entry).byKey(migration.name), { done: counted(done ?? 0, direction), mark });
      const statement = () => statements[done ?? 0] as string;
      if (done === undefined) {
        await refuse(tx);
        const entry = before ?? (await newEntry(migration));
        await whole(tx, () => tx.upsert(Entry, [{ ...entry, ended: null, done: counted(0, direction), mark: null }]));
        done = 0;
      } else if (before?.mark != null && done < statements.length && before.mark !== (await markOf(tx, statement())))
        done++;
      // An index that was being made beside other work may be there, and be of no use: what drops it comes before it.
      else if (!isMariadb && /^drop index concurrently if exists/i.test(statements[done - 1] ?? "")) done--;
      while (done < statements.length)
        if (defines.test(statement())) {
          const mark = isMariadb ? await markOf(tx, statement()) : null;
          await whole(tx, () => note(mark));
          await send(tx, done, false);
          done++;
          await whole(tx, () => note(null));
        }
        // A statement of data and the note that it is done are one transaction.
        else
          await whole(tx, async () => {
            await send(tx, done as number, false);
            done = (done as number) + 1;
            await note(null);
          });
      await whole(tx, () => record(tx, migration, direction, statements.length));
      return true;
    } finally {
      await own(isMariadb ? `do release_lock('${lockName}')` : `select pg_advisory_unlock(${lockNumber})`).catch(
        () => {},
      );
    }
  });

/** Without a transaction, where nobody else is on the connection. */
const alone: RunningWay = async (db, migration, direction, { statements, refuse, send }) => {
  if (isDoneIn(await entryOf(db, migration), direction)) return false;
  await refuse(db);
  for (let at = 0; at < statements.length; at++) await send(db, at, false);
  await record(db, migration, direction, statements.length);
  return true;
};

/** The way that an engine can go with a text. */
export function wayOf({ dialect }: AnyDatabase, { isApart }: Script): RunningWay {
  if (dialect.name === "mariadb") return statementByStatement;
  if (!isApart) return inOneTransaction;
  return dialect === postgresDialect ? statementByStatement : alone;
}
