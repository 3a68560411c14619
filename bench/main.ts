import { deepStrictEqual } from "node:assert";
import Table from "cli-table3";
import pg from "pg";
import { Bench as Tinybench } from "tinybench";
import { type Bench, benchPostgres, benchSqlite } from "./engines.js";
import { type Job, jobs } from "./jobs.js";
import { overhead } from "./overhead.js";

// Hand-written code would read days as text as well: the driver's own Date is another answer.
pg.types.setTypeParser(pg.types.builtins.DATE, (value) => value);

const rounds = 7;

const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[values.length >> 1] ?? Number.NaN;

/** Our median time by that of hand-written code, for each of several rounds. */
async function ratiosOf(job: Job, { db, hand }: Bench): Promise<readonly number[]> {
  deepStrictEqual(await job.ours(db), await job.byHand(hand));
  const ratios: number[] = [];
  for (let round = 0; round < rounds; round++) {
    const bench = new Tinybench({ time: 200, warmupTime: 50 });
    bench.add("ours", async () => void (await job.ours(db)));
    bench.add("by hand", async () => void (await job.byHand(hand)));
    const [ours, byHand] = (await bench.run()).map(({ result }) =>
      "latency" in result ? result.latency.p50 : Number.NaN,
    );
    ratios.push((ours as number) / (byHand as number));
  }
  return ratios;
}

const benches = [await benchSqlite(), await benchPostgres()].filter((bench) => bench !== undefined);
const table = new Table({ head: ["job", ...benches.map(({ name }) => name)], style: { head: [], border: [] } });
for (const job of jobs) {
  process.stderr.write(`${job.name}\n`);
  const cells: string[] = [];
  for (const bench of benches) {
    const ratios = await ratiosOf(job, bench);
    cells.push(
      `${median(ratios).toFixed(2)}  (${Math.min(...ratios).toFixed(2)} to ${Math.max(...ratios).toFixed(2)})`,
    );
  }
  table.push([job.name, ...cells]);
}
for (const bench of benches) await bench.close();
console.log(
  `${table}\nTime by that of hand-written driver code for the same answer: median of ${rounds} rounds (least to most).`,
);
const { compile, template } = await overhead();
console.log(
  `Building and compiling a query of three joins: ${compile.toFixed(1)} µs (at most 30 wanted); a template beside the driver's own call on SQLite: ${template.toFixed(1)} µs (at most 3 wanted). Medians.`,
);
if (benches.length < 2) console.log("left out: PostgreSQL server (set GEMACH_POSTGRES_URL)");
