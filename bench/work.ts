import Table from "cli-table3";
import { type Database, from } from "../src/index.js";
import { lending } from "../tools/src/demo/index.js";
import type { Bench } from "./engines.js";
import { median, milliseconds, noting } from "./figures.js";
import { type Hand, member, memberOf } from "./hand.js";

const { Loan, Member } = lending;

/** A figure of units of work: our time by another's. */
interface WorkJob {
  readonly name: string;
  readonly bound: string;
  /** Only where a statement has a way to go. */
  readonly ofServers?: boolean;
  readonly ours: (db: Database) => Promise<unknown>;
  readonly other: (db: Database, hand: Hand) => Promise<unknown>;
}

const undone = new Error("undone");
const quietly = async (work: Promise<unknown>): Promise<void> => {
  await work.catch((error: unknown) => {
    if (error !== undone) throw error;
  });
};

const rows = Array.from({ length: 10_000 }, (_, i) => [1 + (i % 1000), 1 + (i % 400), "2026-01-01", null] as const);
const some = Array.from({ length: 20 }, (_, i) => 7 + 13 * i);
const loop = (cohort: number) => (db: Database) =>
  db.work(
    async (w) => {
      for (const loan of await w.list(from(Loan).limit(2000))) await loan.item;
    },
    { cohort },
  );

/** Times of flushes of ten changes among 10,000 entities, and of their loading. */
async function flushes(db: Database): Promise<{ readonly loading: number; readonly flushing: number }> {
  let loading = 0;
  let flushing = 0;
  await quietly(
    db.work(async (w) => {
      loading = await milliseconds(() => w.list(from(Loan)));
      const loans = await w.list(from(Loan));
      for (let i = 0; i < 10; i++) (loans[i * 900] as { returned: string | null }).returned = `2026-02-0${(i % 9) + 1}`;
      flushing = await milliseconds(() => w.flush());
      throw undone;
    }),
  );
  return { loading, flushing };
}

const jobs: readonly WorkJob[] = [
  {
    name: "10,000 live entities loaded, by plain rows",
    bound: "1.6",
    ours: (db) => db.work((w) => w.list(from(Loan))),
    other: (db) => db.transaction((tx) => tx.list(from(Loan))),
  },
  {
    name: "10,000 inserted by w.add, by the best form by hand",
    bound: "1.7",
    ours: (db) =>
      quietly(
        db.work(async (w) => {
          for (const [itemId, memberId, due, returned] of rows) w.add(Loan, { itemId, memberId, due, returned });
          await w.flush();
          throw undone;
        }),
      ),
    other: (_, hand) =>
      hand.transaction(
        async (send) => void (await hand.insert(send, rows, { end: " returning id", name: "ids" })),
        false,
      ),
  },
  {
    name: "20 reads by key in one tick, by one statement by hand",
    bound: "1.2",
    ofServers: true,
    ours: (db) => db.work((w) => Promise.all(some.map((id) => w.byKey(Member, id)))),
    other: (_, hand) =>
      hand.transaction(async (send) => {
        const text = `select ${member()} from member where ${hand.among("member.id")}`;
        (await send("twenty", text, [hand.keys(some)])).map((r) => memberOf(hand, r));
      }, true),
  },
  {
    name: "an empty transaction, by begin and commit",
    bound: "1.1",
    ours: (db) => db.transaction(async () => {}),
    other: (_, hand) => hand.transaction(async () => {}, true),
  },
  {
    name: "a lazy loop of 2,000 rows, cohorts switched off by on",
    bound: "at least 3, on servers 13",
    ours: loop(1),
    other: loop(Number.POSITIVE_INFINITY),
  },
];

/** Figures of units of work for each engine that is open. */
export async function workFigures(benches: readonly Bench[], rounds: number): Promise<string> {
  const table = new Table({
    head: ["units of work", "bound", ...benches.map(({ name }) => name)],
    style: { head: [], border: [] },
  });
  for (const { name, bound, ofServers, ours, other } of jobs) {
    const cells: string[] = [];
    for (const bench of benches) {
      if (ofServers === true && (bench.name === "SQLite" || bench.name === "PGlite")) {
        cells.push("");
        continue;
      }
      process.stderr.write(`${bench.name}: ${name}\n`);
      const ratios: number[] = [];
      for (let round = 0; round < rounds; round++) {
        const [mine, theirs]: [number[], number[]] = [[], []];
        for (const end = performance.now() + 500; performance.now() < end || mine.length < 2; ) {
          mine.push(await milliseconds(() => ours(bench.db)));
          theirs.push(await milliseconds(() => other(bench.db, bench.hand)));
        }
        ratios.push(median(mine) / median(theirs));
      }
      cells.push(noting(name, bench.name, ratios));
    }
    table.push([name, bound, ...cells]);
  }
  const flushed: string[] = [];
  const memory: string[] = [];
  for (const { name, db } of benches) {
    const ratios: number[] = [];
    for (let round = 0; round < 10; round++) await flushes(db);
    for (let round = 0; round < 5 * rounds; round++) {
      const { loading, flushing } = await flushes(db);
      ratios.push(flushing / loading);
    }
    flushed.push(noting("a flush of 10 changes among 10,000", name, ratios));
    memory.push(await bytesOf(db));
  }
  table.push(["a flush of 10 changes among 10,000, by loading them", "0.1", ...flushed]);
  table.push(["bytes of a live entity, and of a plain row", "", ...memory]);
  return String(table);
}

/**
 * What one of 10,000 rows takes in memory, as a live entity and as a plain row; needs a collector that can be called.
 */
async function bytesOf(db: Database): Promise<string> {
  const { gc } = globalThis as { readonly gc?: () => void };
  if (gc === undefined) return "node --expose-gc tells";
  const held = async (hold: (keep: (rows: unknown) => void) => Promise<unknown>): Promise<number> => {
    let rows: unknown;
    gc();
    const before = process.memoryUsage().heapUsed;
    let after = 0;
    await hold((found) => {
      rows = found;
      gc();
      after = process.memoryUsage().heapUsed;
    });
    return (after - before) / (rows as unknown[]).length;
  };
  const live = await held((keep) => db.work(async (w) => keep(await w.list(from(Loan)))));
  const plain = await held(async (keep) => keep(await db.list(from(Loan))));
  return `${Math.round(live)}, ${Math.round(plain)}`;
}
