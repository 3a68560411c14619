import Table from "cli-table3";
import { audit, type Database, from, withLedger } from "../src/index.js";
import { now, watch } from "../src/run/index.js";
import { lending } from "../tools/src/demo/index.js";
import type { Bench } from "./engines.js";
import { median, milliseconds, noting } from "./figures.js";

const { Depot, Item, Loan } = lending;
const all = from(Loan).limit(10_000);

/** What a ledger makes of the time of a list of 10,000 rows. */
const watched: readonly (readonly [what: string, bound: string, run: (db: Database) => Promise<unknown>])[] = [
  ["a list of 10,000 rows in a ledger, by the list alone", "1.1", (db) => withLedger(db, "list", () => db.list(all))],
  [
    "the same, and what code reads is noted",
    "",
    (db) => withLedger(db, "list", async () => (await db.list(all)).length, { reads: true }),
  ],
];

/** So often a read by key asks whether somebody watches. */
const looks = 4;

/** What a database without a ledger spends on asking for one, in a read by key: hundredths of its time. */
async function costOff(db: Database): Promise<string> {
  const { isWatched } = watch(now);
  const times = 100_000;
  let seen = 0;
  const asking: number[] = [];
  for (let round = 0; round < 10; round++)
    asking.push(
      await milliseconds(async () => {
        for (let i = 0; i < times * looks; i++) if (isWatched()) seen++;
      }),
    );
  const reading: number[] = [];
  for (let i = 0; i < 2000; i++) reading.push(await milliseconds(() => db.single(from(Item).byKey(7))));
  return `${((100 * (median(asking) / times)) / median(reading) + seen).toFixed(2)}`;
}

/** 500 queries of a few statements each, each of its own text. */
const queries = Array.from({ length: 500 }, (_, i) => {
  const names = ["name", "town"] as const;
  return [
    from(Depot)
      .where((d) => d[names[i % 2] ?? "name"].startsWith(`${i}`))
      .reach({ items: true }),
    from(Item)
      .where((x) => x.depotId.is(i))
      .orderBy((x) => x.name.asc)
      .limit(1 + i),
    from(Loan)
      .where((l) => l.item.depot.id.is(i))
      .reach({ borrower: true }),
  ][i % 3] as never;
});

/** Figures of looking at queries, for each engine that is open. */
export async function inspectingFigures(benches: readonly Bench[], rounds: number): Promise<string> {
  const table = new Table({
    head: ["inspecting", "bound", ...benches.map(({ name }) => name)],
    style: { head: [], border: [] },
  });
  for (const [what, bound, run] of watched) {
    const cells: string[] = [];
    for (const { name, db } of benches) {
      const ratios: number[] = [];
      for (let round = 0; round < rounds; round++) {
        const [mine, alone]: [number[], number[]] = [[], []];
        for (const end = performance.now() + 500; performance.now() < end || mine.length < 2; ) {
          mine.push(await milliseconds(() => run(db)));
          alone.push(await milliseconds(() => db.list(all)));
        }
        ratios.push(median(mine) / median(alone));
      }
      cells.push(noting(what, name, ratios));
    }
    table.push([what, bound, ...cells]);
  }
  const off: string[] = [];
  for (const { db } of benches) off.push(await costOff(db));
  table.push(["hundredths of a read by key, without a ledger", "1", ...off]);
  const audits: string[] = [];
  for (const { db } of benches) {
    let statements = 0;
    const took = await milliseconds(async () => {
      for (const query of queries) statements += (await audit(db, query)).statements.length;
    });
    audits.push(`${Math.round((1000 * statements) / took)}`);
  }
  table.push(["statements a second, of an audit of 500 queries", "", ...audits]);
  return String(table);
}
