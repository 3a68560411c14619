import Table from "cli-table3";
import { type Database, from } from "../src/index.js";
import { undone } from "../src/testing/index.js";
import { lending } from "../tools/src/demo/index.js";
import type { Bench } from "./engines.js";
import { median, milliseconds, noting } from "./figures.js";
import { type Hand, loan, loanOf } from "./hand.js";

const { Loan } = lending;

/** What is written, by the library and by hand. */
interface WriteJob {
  readonly name: string;
  /** The most that our time may be, as a part of the hand's: on SQLite, and on servers. */
  readonly bounds: readonly [inProcess: number, server: number];
  readonly ours: (db: Database) => Promise<unknown>;
  readonly byHand: (hand: Hand) => Promise<unknown>;
}

const rows = Array.from({ length: 10_000 }, (_, i) => ({
  itemId: 1 + (i % 1000),
  memberId: 1 + (i % 400),
  due: "2026-01-01",
  returned: null,
}));
const known = rows.map((row, i) => ({ id: 1 + i, ...row }));
const wires = rows.map(({ itemId, memberId, due, returned }) => [itemId, memberId, due, returned]);
const knownWires = wires.map((row, i) => [1 + i, ...row]);
const allColumns = ["id", "item_id", "member_id", "due", "returned"];
const returning = ` returning ${loan()}`;

/** So many single statements are one measurement. */
const singles = 50;
const eachOf = async (work: (i: number) => Promise<unknown>): Promise<void> => {
  for (let i = 0; i < singles; i++) await work(i);
};

/** Placeholders of an engine, from the first on. */
const places = ({ place }: Hand, count: number): readonly string[] =>
  Array.from({ length: count }, (_, i) => (place === "?" ? "?" : `$${i + 1}`));

const one = wires[0] as readonly unknown[];
const oneInto = (hand: Hand) =>
  `insert into loan (item_id, member_id, due, returned) values (${places(hand, 4).join(", ")})`;

export const writeJobs: readonly WriteJob[] = [
  {
    name: "10,000 rows inserted",
    bounds: [1.4, 1.2],
    ours: (db) => undone(db, (tx) => tx.insert(Loan, rows)),
    byHand: (hand) => hand.transaction(async (send) => void (await hand.insert(send, wires)), false),
  },
  {
    name: "the same, with the rows returned",
    bounds: [1.4, 1.4],
    ours: (db) => undone(db, (tx) => tx.insert(Loan, rows, { returning: true })),
    byHand: (hand) =>
      hand.transaction(async (send) => {
        const found = await hand.insert(send, wires, { end: returning, name: "rows" });
        found.map((row) => loanOf(row));
      }, false),
  },
  {
    name: "10,000 rows upserted, all there",
    bounds: [1.3, 1.3],
    ours: (db) => undone(db, (tx) => tx.upsert(Loan, known)),
    byHand: (hand) =>
      hand.transaction(async (send) => {
        await hand.insert(send, knownWires, { columns: allColumns, end: hand.overwriting, name: "upsert" });
      }, false),
  },
  {
    name: "one row inserted",
    bounds: [2.5, 1.15],
    ours: (db) => eachOf((i) => db.insert(Loan, [rows[i] as (typeof rows)[0]])),
    byHand: (hand) => eachOf(() => hand.send("one", oneInto(hand), one)),
  },
  {
    name: "one row inserted and returned",
    bounds: [2.5, 1.15],
    ours: (db) => eachOf((i) => db.insert(Loan, [rows[i] as (typeof rows)[0]], { returning: true })),
    byHand: (hand) =>
      eachOf(async () => (await hand.send("one back", oneInto(hand) + returning, one)).map((row) => loanOf(row))),
  },
  {
    name: "one row upserted, which is there",
    bounds: [2.5, 1.15],
    ours: (db) => eachOf((i) => db.upsert(Loan, [known[i] as (typeof known)[0]])),
    byHand: (hand) =>
      eachOf((i) => {
        const text = `insert into loan (${allColumns.join(", ")}) values (${places(hand, 5).join(", ")})${hand.overwriting}`;
        return hand.send("one up", text, knownWires[i] as readonly unknown[]);
      }),
  },
  {
    name: "one row updated by its key",
    bounds: [2.5, 1.1],
    ours: (db) => eachOf((i) => db.update(from(Loan).byKey(1 + i), { due: `2026-02-${10 + (i % 10)}` })),
    byHand: (hand) => {
      const [due, id] = places(hand, 2);
      const text = `update loan set due = ${due} where id = ${id}`;
      return eachOf((i) => hand.send("change", text, [`2026-02-${10 + (i % 10)}`, 1 + i]));
    },
  },
  {
    name: "one row deleted by its key, where none is",
    bounds: [2.5, 1.1],
    ours: (db) => eachOf((i) => db.delete(from(Loan).byKey(100_000_000 + i))),
    byHand: (hand) => eachOf((i) => hand.send("gone", `delete from loan where id = ${hand.place}`, [100_000_000 + i])),
  },
  {
    name: "10,000 rows changed by one statement",
    bounds: [1.1, 1.1],
    ours: (db) =>
      undone(db, (tx) =>
        tx.update(
          from(Loan).where((l) => l.id.atMost(10_000)),
          { due: "2026-03-01" },
        ),
      ),
    byHand: (hand) => {
      const [due, id] = places(hand, 2);
      const text = `update loan set due = ${due} where id <= ${id}`;
      return hand.transaction(async (send) => void (await send("set", text, ["2026-03-01", 10_000])), false);
    },
  },
  {
    name: "10,000 rows inserted from a query",
    bounds: [1.1, 1.1],
    ours: (db) =>
      undone(db, (tx) =>
        tx.insertFrom(
          Loan,
          from(Loan)
            .where((l) => l.id.atMost(10_000))
            .select((l) => ({ itemId: l.itemId, memberId: l.memberId, due: l.due, returned: l.returned })),
        ),
      ),
    byHand: (hand) => {
      const text = `insert into loan (item_id, member_id, due, returned) select item_id, member_id, due, returned from loan where id <= ${hand.place}`;
      return hand.transaction(async (send) => void (await send("copy", text, [10_000])), false);
    },
  },
];

/** Figures of writes for each engine that is open. */
export async function writeFigures(
  jobs: readonly WriteJob[],
  benches: readonly Bench[],
  rounds: number,
): Promise<string> {
  const table = new Table({
    head: ["writes", "bound", ...benches.map(({ name }) => name)],
    style: { head: [], border: [] },
  });
  for (const { name, bounds, ours, byHand } of jobs) {
    const cells: string[] = [];
    for (const { name: engine, db, hand } of benches) {
      process.stderr.write(`${engine}: ${name}\n`);
      const ratios: number[] = [];
      for (let round = 0; round < rounds; round++) {
        const [mine, theirs]: [number[], number[]] = [[], []];
        for (const end = performance.now() + 500; performance.now() < end || mine.length < 2; ) {
          mine.push(await milliseconds(() => ours(db)));
          theirs.push(await milliseconds(() => byHand(hand)));
        }
        ratios.push(median(mine) / median(theirs));
        // Both hands meet a table of the same size in each round.
        await db.delete(from(Loan).where((l) => l.id.above(10_000)));
      }
      cells.push(noting(name, engine, ratios));
    }
    table.push([name, `${bounds[0]}, servers ${bounds[1]}`, ...cells]);
  }
  return String(table);
}
