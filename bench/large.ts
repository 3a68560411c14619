import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import Sqlite from "better-sqlite3";
import Table from "cli-table3";
import { postgres } from "../src/drivers/postgres.js";
import { sqlite } from "../src/drivers/sqlite.js";
import {
  createTables,
  type Database,
  database,
  entity,
  from,
  identity,
  integer,
  model,
  text,
  toMany,
  toOne,
  withLedger,
} from "../src/index.js";
import { newPostgres } from "./engines.js";
import { median, milliseconds, spread } from "./figures.js";

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
  await createTables(db, { Owner, Part });
  await send(`insert into owner (id, name) select n, 'owner ' || n from ${series(owners)}`);
  await send(
    `insert into part ("ownerId", label) select ${owners} - n % ${owners}, 'part ' || n from ${series(10 * owners)}`,
  );
}

/** The newest owners of the larger database by those of the smaller: median times of many turns. */
async function pageRatio(few: Database, many: Database, turns = 201): Promise<number> {
  const [short, long]: [number[], number[]] = [[], []];
  for (let turn = 0; turn < turns; turn++) {
    short.push(await milliseconds(() => few.list(newest)));
    long.push(await milliseconds(() => many.list(newest)));
  }
  return median(long) / median(short);
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
  // Else the server does it by itself while it is measured.
  await pool.query("vacuum analyze");
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

/** What a stream took: the process's greatest memory in megabytes, and milliseconds. */
interface Streamed {
  readonly peak: number;
  readonly time: number;
}

/** Our median by the driver's, with the least and the most of the ratios turn by turn. */
function against(pairs: readonly (readonly [byHand: Streamed, ours: Streamed])[], of: keyof Streamed): string {
  const [byHand, ours] = [median(pairs.map(([one]) => one[of])), median(pairs.map(([, one]) => one[of]))];
  return spread(
    pairs.map(([one, other]) => other[of] / one[of]),
    ours / byHand,
  );
}

async function streamed(work: () => Promise<number>): Promise<Streamed> {
  let most = process.memoryUsage().rss;
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

/** The process's greatest memory while so many rows are inserted from a generator, in megabytes beyond that before. */
async function inserting(db: Database, count: number): Promise<number> {
  const rows = function* () {
    for (let i = 0; i < count; i++) yield { name: `owner ${i}` };
  };
  const before = process.memoryUsage().rss;
  let most = before;
  const progress = () => {
    most = Math.max(most, process.memoryUsage().rss);
  };
  await db.insert(Owner, rows(), { progress });
  return (most - before) / 1e6;
}

/** What inserting a million rows takes in memory beside a tenth of them: what grows with their number would show. */
async function insertedPeaks(): Promise<readonly string[]> {
  const folder = mkdtempSync(join(tmpdir(), "gemach-bench-"));
  const handle = new Sqlite(join(folder, "rows.db"));
  const made = await newPostgres();
  const peaks: string[] = [];
  for (const db of [database(sqlite(handle)), ...(made === undefined ? [] : [database(postgres(made.pool))])]) {
    process.stderr.write("a million rows inserted\n");
    await createTables(db, { Owner, Part });
    const few = await inserting(db, 100_000);
    const many = await inserting(db, 1_000_000);
    peaks.push(`${few.toFixed(0)} MB, then ${many.toFixed(0)} MB more`);
  }
  handle.close();
  rmSync(folder, { recursive: true });
  await made?.close();
  return peaks;
}

/** The newest 50 of a million owners beside the newest 50 of ten thousand; a million rows one after the other. */
export async function large(turns: number): Promise<string> {
  const table = new Table({ head: ["a million rows", "SQLite", "PostgreSQL"], style: { head: [], border: [] } });
  const [pages, rows, times, peaks]: [string[], string[], string[], string[]] = [[], [], [], []];
  for (const open of [largeSqlite, largePostgres]) {
    process.stderr.write("a million rows\n");
    const [few, many] = [await open(10_000), await open(1_000_000)];
    if (few === undefined || many === undefined) continue;
    pages.push(`${(await pageRatio(few.db, many.db)).toFixed(2)} (at most 1.5 wanted)`);
    rows.push(String((await withLedger(many.db, "newest", () => many.db.list(newest))).totals.rows));
    const pairs: (readonly [byHand: Streamed, ours: Streamed])[] = [];
    for (let turn = 0; turn < turns; turn++)
      pairs.push([await streamed(many.stream), await streamed(() => ours(many.db))]);
    times.push(`${against(pairs, "time")} (at most 1.3 wanted)`);
    peaks.push(`${against(pairs, "peak")} (at most 1.3 wanted)`);
    for (const one of [few, many]) await one.close();
  }
  table.push(["the newest 50 of 1,000,000 owners with their parts, by those of 10,000: time", ...pages]);
  table.push(["rows fetched for it", ...rows]);
  table.push(["1,000,000 rows streamed, by the driver's own stream: time", ...times]);
  table.push(["the same: the process's greatest memory", ...peaks]);
  table.push(["memory for 100,000 rows inserted from a generator, then for 1,000,000", ...(await insertedPeaks())]);
  return String(table);
}
