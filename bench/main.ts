import { deepStrictEqual } from "node:assert";
import Table from "cli-table3";
import pg from "pg";
import { database } from "../src/index.js";
import type { Society } from "../tools/src/demo/index.js";
import { coldFigures } from "./cold.js";
import { type Bench, type Open, openMariadb, openPglite, openPostgres, openSqlite } from "./engines.js";
import { median, milliseconds, movedText, noting } from "./figures.js";
import { frontDeskFigures } from "./front-desk.js";
import { gridText, takeGrid } from "./grid.js";
import { drawGrid } from "./heat-map.js";
import { inspectingFigures } from "./inspecting.js";
import { type Job, jobs, largeSociety, loops, society } from "./jobs.js";
import { large } from "./large.js";
import { loadFigures } from "./load.js";
import { overhead } from "./overhead.js";
import { reportFigures, writeTexts } from "./reports/compare.js";
import { reportSuites } from "./reports/suites.js";
import { schemaFigures, withManyTables } from "./schema.js";
import { sharesOf } from "./shares.js";
import { workFigures } from "./work.js";
import { writeFigures, writeJobs } from "./writes.js";

// Hand-written code would read days as text as well: the driver's own Date is another answer.
pg.types.setTypeParser(pg.types.builtins.DATE, (value) => value);

/** Only the jobs whose names have this text in them, and nothing else; or one of the groups. */
const only = process.env.GEMACH_JOBS;
const groups = [
  "queries",
  "cold",
  "load",
  "large",
  "writes",
  "work",
  "inspecting",
  "grid",
  "reports",
  "schema",
  "front-desk",
];
const isGroup = only !== undefined && groups.includes(only);
const named = <T extends { readonly name: string }>(all: readonly T[]): readonly T[] =>
  isGroup ? [] : all.filter(({ name }) => only === undefined || name.includes(only));
const wanted = named(jobs);
const writes = only === "writes" ? writeJobs : named(writeJobs);
const rounds = Number(process.env.GEMACH_ROUNDS ?? 7);

/** What a job was measured to take. */
interface Measured {
  /** Our time by that of hand-written code, for each of several rounds. */
  readonly ratios: readonly number[];
  /** Our time. */
  readonly milliseconds: number;
}

/** Measures a job, in each round as often in turn with the hand's code as half a second allows. */
async function measure(job: Job, { db, hand }: Bench, turns = rounds): Promise<Measured> {
  deepStrictEqual(await job.ours(db), await job.byHand(hand));
  const [ratios, times]: [number[], number[]] = [[], []];
  for (let round = 0; round < turns; round++) {
    const [ours, byHand]: [number[], number[]] = [[], []];
    for (const end = performance.now() + 500; performance.now() < end || ours.length < 2; ) {
      ours.push(await milliseconds(() => job.ours(db)));
      byHand.push(await milliseconds(() => job.byHand(hand)));
    }
    ratios.push(median(ours) / median(byHand));
    times.push(median(ours));
  }
  return { ratios, milliseconds: median(times) };
}

/** What queries cost by themselves: first, before the heap is full of what jobs left. */
async function queries(): Promise<void> {
  const { compile, template, verbs } = await overhead();
  console.log(
    `Building and compiling a query of three joins: ${compile.toFixed(1)} µs (at most 30 wanted); a template beside the driver's own call on SQLite: ${template.toFixed(1)} µs (at most 3 wanted). Medians.`,
  );
  const kept = new Table({
    head: ["µs a call, on SQLite", "query kept", "built at each call"],
    style: { head: [], border: [] },
  });
  for (const [verb, once, anew] of verbs) kept.push([verb, once.toFixed(1), anew.toFixed(1)]);
  console.log(String(kept));
}
if (only === undefined || only === "queries") await queries();

/** Figures of many at once, on servers. */
async function load(): Promise<void> {
  const open = async (of: Society): Promise<readonly Bench[]> => {
    const benches: Bench[] = [];
    for (const server of opens.filter((one) => one === openPostgres || one === openMariadb))
      benches.push(...[await server(of)].filter((bench) => bench !== undefined));
    return benches;
  };
  const [benches, larger] = [await open(society()), await open(largeSociety())];
  console.log(await loadFigures(benches, larger));
  for (const bench of [...benches, ...larger]) await bench.close();
}

/** Figures of units of work, on every engine that answers. */
async function work(): Promise<void> {
  const benches: Bench[] = [];
  for (const open of opens) {
    const bench = await open(society());
    if (bench !== undefined) benches.push(bench);
  }
  if (writes.length > 0) console.log(await writeFigures(writes, benches, rounds));
  if (only === undefined || only === "work") console.log(await workFigures(benches, rounds));
  if (only === undefined || only === "inspecting") console.log(await inspectingFigures(benches, rounds));
  // Every strategy in every cell: by itself alone, since it takes long.
  if (only === "grid") {
    console.log(gridText(await takeGrid(benches, Number(process.env.GEMACH_DISTANCE ?? 0))));
    console.log(`drawn: ${(await drawGrid()).join(", ")}`);
  }
  for (const bench of benches) await bench.close();
}

/** Comparing and drafting, on many tables. */
async function schema(): Promise<void> {
  const benches: Bench[] = [];
  for (const open of opens) {
    const bench = await open(withManyTables);
    if (bench !== undefined) benches.push(bench);
  }
  console.log(await schemaFigures(benches, rounds));
  for (const bench of benches) await bench.close();
}

/** Reports beside hand-written SQL, on every engine that answers. */
async function reports(): Promise<void> {
  for (const [title, questions, rows] of reportSuites) {
    const benches: Bench[] = [];
    for (const open of opens) {
      const bench = await open(rows);
      // The tables are made of the model: that a key leads to a row is the constraints' affair, as it is to who writes
      // by hand.
      if (bench !== undefined) benches.push({ ...bench, db: database(bench.driver, { trustConstraints: true }) });
    }
    const server = benches.find(({ name }) => name === "PostgreSQL");
    if (server !== undefined) {
      const file = `bench/reports/${title.split(/\W/)[0]?.toLowerCase()}.md`;
      const longer = writeTexts(file, title, questions, server);
      console.log(longer.length === 0 ? `${file}: no text is longer than by hand` : `${file}: ${longer.join("\n  ")}`);
    }
    console.log(await reportFigures(benches, questions, rounds));
    for (const bench of benches) await bench.close();
  }
}

const byName: Readonly<Record<string, Open>> = {
  sqlite: openSqlite,
  pglite: openPglite,
  postgres: openPostgres,
  mariadb: openMariadb,
};
/** All engines, or those that are asked for. */
const asked = process.env.GEMACH_ENGINES?.split(",") ?? Object.keys(byName);
const opens = asked.flatMap((name) => byName[name] ?? []);
const cells = new Map<Job, string[]>();
const shares = new Map<Job, string[]>();
const add = (to: Map<Job, string[]>, job: Job, cell: string) => to.set(job, [...(to.get(job) ?? []), cell]);
const names: string[] = [];
for (const open of wanted.length === 0 ? [] : opens) {
  const benches = [await open(society()), await open(largeSociety())] as const;
  const [usual, larger] = benches;
  if (usual === undefined || larger === undefined) continue;
  names.push(usual.name);
  for (const job of wanted) {
    const bench = job.isLarge === true ? larger : usual;
    process.stderr.write(`${bench.name}: ${job.name}\n`);
    const { ratios, milliseconds } = await measure(job, bench);
    add(cells, job, noting(job.name, bench.name, ratios));
    const parts = await sharesOf(job, bench.driver, milliseconds);
    const told = parts && `${parts.database} / ${parts.decoding} / ${parts.assembling}`;
    add(shares, job, told ?? "too noisy");
  }
  if (only === undefined) {
    process.stderr.write(`${usual.name}: one statement a read\n`);
    const [ratio] = (await measure(loops, usual, 1)).ratios;
    add(cells, loops, `${(1 / (ratio as number)).toFixed(1)} times as fast`);
  }
  for (const bench of [usual, larger]) await bench.close();
}
/** What single jobs took, and where. */
function shown(): void {
  const table = new Table({ head: ["job", "bound", ...names], style: { head: [], border: [] } });
  for (const job of wanted) table.push([job.name, job.bound ?? "", ...(cells.get(job) ?? [])]);
  console.log(
    `${table}\nTime by that of hand-written driver code for the same answer: median of ${rounds} rounds (least to most).`,
  );
  const where = new Table({ head: ["where our time goes", ...names], style: { head: [], border: [] } });
  for (const job of wanted) where.push([job.name, ...(shares.get(job) ?? [])]);
  console.log(`${where}\nHundredths: in database and driver / decoding values and JSON / assembling objects.`);
}
if (wanted.length > 0) shown();
if (only === undefined) {
  const beside = new Table({ head: ["against one statement a read", ...names], style: { head: [], border: [] } });
  beside.push([loops.name, ...(cells.get(loops) ?? [])]);
  console.log(String(beside));
}
if (only === undefined || only === "cold") console.log(await coldFigures(rounds));
if (only === undefined || only === "load") await load();
if (only === undefined || only === "front-desk") console.log(await frontDeskFigures());
if (only === undefined || only === "large") console.log(await large(rounds));
if (
  writes.length > 0 ||
  (isGroup && !["queries", "large", "cold", "load", "reports", "schema", "front-desk"].includes(only))
)
  await work();
if (only === "reports") await reports();
if (only === undefined || only === "schema") await schema();
if (wanted.length > 0 && names.length < opens.length)
  console.log("left out: servers that do not answer (GEMACH_POSTGRES_URL, GEMACH_MARIADB_URL)");
console.log(movedText());
