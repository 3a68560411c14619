import Sqlite from "better-sqlite3";
import Table from "cli-table3";
import { postgres } from "../src/drivers/postgres.js";
import { sqlite } from "../src/drivers/sqlite.js";
import {
  type Database,
  database,
  entity,
  from,
  identity,
  integer,
  layOut,
  model,
  text,
  toMany,
  toOne,
  withLedger,
} from "../src/index.js";
import { newPostgres } from "./engines.js";
import { median, spread } from "./figures.js";

const { Owner, Part } = model({
  Owner: entity("owner", { id: identity, name: text }, { parts: toMany("Part", { by: "ownerId" }) }),
  Part: entity("part", { id: identity, ownerId: integer, label: text }, { owner: toOne("Owner", { by: "ownerId" }) }),
});

const newest = from(Owner)
  .orderBy((o) => o.id.desc)
  .limit(50)
  .reach({ parts: true });

/** A database with so many owners of ten parts each. */
async function filled(
  db: Database,
  send: (sql: string) => unknown,
  owners: number,
  series: (last: number) => string,
): Promise<void> {
  await layOut(db, { Owner, Part });
  await send(`insert into owner (id, name) select n, 'owner ' || n from ${series(owners)}`);
  await send(
    `insert into part ("ownerId", label) select ${owners} - n % ${owners}, 'part ' || n from ${series(10 * owners)}`,
  );
}

async function medianOf(work: () => Promise<unknown>, times = 41): Promise<number> {
  const found: number[] = [];
  for (let i = 0; i < times; i++) {
    const started = performance.now();
    await work();
    found.push(performance.now() - started);
  }
  return median(found);
}

interface Large {
  readonly db: Database;
  /** The driver's own way to take rows one after the other; gives how many there were. */
  readonly stream: () => Promise<number>;
  close(): Promise<void>;
}

async function largeSqlite(owners: number): Promise<Large> {
  const handle = new Sqlite(":memory:");
  const db = database(sqlite(handle));
  const series = (last: number) =>
    `(with recursive s (n) as (select 1 union all select n + 1 from s where n < ${last}) select n from s)`;
  await filled(db, (sql) => handle.exec(sql), owners, series);
  const rows = handle.prepare("select id, name from owner order by id").raw();
  return {
    db,
    stream: async () => {
      let found = 0;
      for (const [id, name] of rows.iterate() as IterableIterator<[number, string]>) if ({ id, name }.id > 0) found++;
      return found;
    },
    close: async () => void handle.close(),
  };
}

async function largePostgres(owners: number): Promise<Large | undefined> {
  const made = await newPostgres();
  if (made === undefined) return undefined;
  const { pool, close } = made;
  const db = database(postgres(pool));
  await filled(
    db,
    // Ten million checks of a foreign key would take minutes.
    async (sql) => {
      const client = await pool.connect();
      await client.query("set session_replication_role = replica");
      await client.query(sql);
      await client.query("set session_replication_role = origin");
      client.release();
    },
    owners,
    (last) => `generate_series(1, ${last}) as s (n)`,
  );
  await pool.query("analyze");
  return {
    db,
    stream: async () => {
      const client = await pool.connect();
      let found = 0;
      await client.query("begin");
      await client.query("declare rows cursor for select id, name from owner order by id");
      for (;;) {
        const { rows } = await client.query({ text: "fetch 1000 from rows", rowMode: "array" });
        for (const [id, text] of rows) if ({ id, name: text }.id > 0) found++;
        if (rows.length === 0) break;
      }
      await client.query("commit");
      client.release();
      return found;
    },
    close,
  };
}

async function ours(db: Database): Promise<number> {
  let found = 0;
  for await (const { id } of db.stream(from(Owner))) if (id > 0) found++;
  return found;
}

/** The most memory that work takes beyond what there was before, in megabytes, looked at ten times a millisecond's turn. */
async function peakOf(work: () => Promise<number>): Promise<{ readonly peak: number; readonly time: number }> {
  globalThis.gc?.();
  const before = process.memoryUsage().rss;
  let most = before;
  const watch = setInterval(() => {
    most = Math.max(most, process.memoryUsage().rss);
  }, 5);
  const started = performance.now();
  const found = await work();
  const time = performance.now() - started;
  most = Math.max(most, process.memoryUsage().rss);
  clearInterval(watch);
  if (found !== 1_000_000) throw new Error(`${found} rows`);
  return { peak: most / 1e6, time };
}

/** The newest 50 of a million owners beside the newest 50 of ten thousand; a million rows one after the other. */
export async function large(turns: number): Promise<string> {
  const table = new Table({ head: ["a million rows", "SQLite", "PostgreSQL"], style: { head: [], border: [] } });
  const [pages, rows, times, peaks]: [string[], string[], string[], string[]] = [[], [], [], []];
  for (const open of [largeSqlite, largePostgres]) {
    process.stderr.write("a million rows\n");
    const [few, many] = [await open(10_000), await open(1_000_000)];
    if (few === undefined || many === undefined) continue;
    const page = (db: Database) => () => db.list(newest);
    const ratio = (await medianOf(page(many.db))) / (await medianOf(page(few.db)));
    pages.push(`${ratio.toFixed(2)} (at most 1.5 wanted)`);
    rows.push(String((await withLedger(many.db, "newest", page(many.db))).totals.rows));
    const [time, peak]: [number[], number[]] = [[], []];
    for (let turn = 0; turn < turns; turn++) {
      const [theirs, own] = [await peakOf(many.stream), await peakOf(() => ours(many.db))];
      time.push(own.time / theirs.time);
      peak.push(own.peak / theirs.peak);
    }
    times.push(`${spread(time)} (at most 1.3 wanted)`);
    peaks.push(`${spread(peak)} (at most 1.3 wanted)`);
    for (const one of [few, many]) await one.close();
  }
  table.push(["the newest 50 of 1,000,000 owners with their parts, by those of 10,000: time", ...pages]);
  table.push(["rows fetched for it", ...rows]);
  table.push(["1,000,000 rows streamed, by the driver's own stream: time", ...times]);
  table.push(["the same: the process's greatest memory", ...peaks]);
  return String(table);
}
