import { deepStrictEqual } from "node:assert";
import Table from "cli-table3";
import pg from "pg";
import { type Database, withLedger } from "../src/index.js";
import { type Bench, type Open, openMariadb, openPglite, openPostgres, openSqlite } from "./engines.js";
import { type Job, jobs, largeSociety, loops, society } from "./jobs.js";
import { large } from "./large.js";
import { overhead } from "./overhead.js";

// Hand-written code would read days as text as well: the driver's own Date is another answer.
pg.types.setTypeParser(pg.types.builtins.DATE, (value) => value);

const rounds = Number(process.env.GEMACH_ROUNDS ?? 7);

const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[values.length >> 1] ?? Number.NaN;

async function milliseconds(work: () => Promise<unknown>): Promise<number> {
  const started = performance.now();
  await work();
  return performance.now() - started;
}

/** Our time by that of hand-written code, for each of several rounds: as often in turn as half a second allows. */
async function ratiosOf(job: Job, { db, hand }: Bench, turns = rounds): Promise<readonly number[]> {
  deepStrictEqual(await job.ours(db), await job.byHand(hand));
  const ratios: number[] = [];
  for (let round = 0; round < turns; round++) {
    const [ours, theirs]: [number[], number[]] = [[], []];
    for (const end = performance.now() + 500; performance.now() < end || ours.length < 2; ) {
      ours.push(await milliseconds(() => job.ours(db)));
      theirs.push(await milliseconds(() => job.byHand(hand)));
    }
    ratios.push(median(ours) / median(theirs));
  }
  return ratios;
}

/** The part of our time that passes between sending a statement and its last row, in hundredths. */
async function inDatabase({ ours }: Job, db: Database): Promise<number> {
  const parts: number[] = [];
  for (let round = 0; round < rounds; round++) {
    const ledger = await withLedger(db, "where the time goes", () => ours(db));
    parts.push(ledger.totals.milliseconds / ledger.milliseconds);
  }
  return Math.round(100 * median(parts));
}

// First, before the heap is full of what other jobs left.
const { compile, template } = await overhead();
console.log(
  `Building and compiling a query of three joins: ${compile.toFixed(1)} µs (at most 30 wanted); a template beside the driver's own call on SQLite: ${template.toFixed(1)} µs (at most 3 wanted). Medians.`,
);

const opens: readonly Open[] = [openSqlite, openPglite, openPostgres, openMariadb];
const cells = new Map<Job, string[]>();
const names: string[] = [];
for (const open of opens) {
  const benches = [await open(society()), await open(largeSociety())] as const;
  const [usual, larger] = benches;
  if (usual === undefined || larger === undefined) continue;
  names.push(usual.name);
  for (const job of jobs) {
    const bench = job.isLarge === true ? larger : usual;
    process.stderr.write(`${bench.name}: ${job.name}\n`);
    const ratios = await ratiosOf(job, bench);
    const [least, most] = [Math.min(...ratios).toFixed(2), Math.max(...ratios).toFixed(2)];
    const part = await inDatabase(job, bench.db);
    cells.set(job, [...(cells.get(job) ?? []), `${median(ratios).toFixed(2)} (${least} to ${most}), ${part} %`]);
  }
  process.stderr.write(`${usual.name}: one statement a read\n`);
  const against = median((await ratiosOf(loops, usual, 1)).map((ratio) => 1 / ratio));
  cells.set(loops, [...(cells.get(loops) ?? []), `${against.toFixed(1)} times as fast`]);
  for (const bench of [usual, larger]) await bench.close();
}
const table = new Table({ head: ["job", "bound", ...names], style: { head: [], border: [] } });
for (const job of jobs) table.push([job.name, job.bound ?? "", ...(cells.get(job) ?? [])]);
console.log(
  `${table}\nTime by that of hand-written driver code for the same answer: median of ${rounds} rounds (least to most); the part of ours that passes in database and driver, the rest being decoding and assembling.`,
);
const beside = new Table({ head: ["against one statement a read", ...names], style: { head: [], border: [] } });
beside.push([loops.name, ...(cells.get(loops) ?? [])]);
console.log(String(beside));
console.log(await large());
if (names.length < opens.length)
  console.log("left out: servers that do not answer (GEMACH_POSTGRES_URL, GEMACH_MARIADB_URL)");
