import { monitorEventLoopDelay } from "node:perf_hooks";
import Table from "cli-table3";
import { and, type Database, from } from "../src/index.js";
import { lending } from "../tools/src/demo/index.js";
import type { Bench } from "./engines.js";
import { type Hand, loan, loanOf, member, memberOf } from "./hand.js";

const { Loan, Member } = lending;

/** So many go on at once, on pools of eight connections. */
const workers = 64;
/** How long each hand works at a time, in milliseconds; they take turns. */
const slice = 5000;
const seconds = Number(process.env.GEMACH_SECONDS ?? 60);

/** What readers and writers do: a row by its key, a page of twenty, one row added, one row changed. */
interface Client {
  readonly one: (id: number) => Promise<unknown>;
  readonly page: (memberId: number) => Promise<unknown>;
  readonly add: (itemId: number) => Promise<unknown>;
  readonly change: (id: number, due: string) => Promise<unknown>;
}

const ours = (db: Database): Client => ({
  one: (id) => db.single(from(Member).byKey(id)),
  page: (memberId) =>
    db.list(
      from(Loan)
        .where((l) => and(l.memberId.is(memberId), l.returned.is(null)))
        .orderBy((l) => l.id.desc)
        .limit(20),
    ),
  add: (itemId) => db.insert(Loan, [{ itemId, memberId: 1 + (itemId % 400), due: "2026-01-01", returned: null }]),
  change: (id, due) => db.update(from(Loan).byKey(id), { due }),
});

const byHand = (hand: Hand): Client => {
  const p = (n: number) => (hand.place === "?" ? "?" : `$${n}`);
  return {
    one: async (id) => {
      const [row] = await hand.send("one", `select ${member()} from member where id = ${p(1)} limit 2`, [id]);
      return memberOf(hand, row as readonly unknown[]);
    },
    page: async (memberId) => {
      const text = `select ${loan()} from loan where member_id = ${p(1)} and returned is null order by id desc limit 20`;
      return (await hand.send("page", text, [memberId])).map((row) => loanOf(row));
    },
    add: (itemId) =>
      hand.send(
        "add",
        `insert into loan (item_id, member_id, due, returned) values (${p(1)}, ${p(2)}, ${p(3)}, ${p(4)})`,
        [itemId, 1 + (itemId % 400), "2026-01-01", null],
      ),
    change: (id, due) => hand.send("change", `update loan set due = ${p(1)} where id = ${p(2)}`, [due, id]),
  };
};

/** One turn of all workers; adds how long each call took. */
async function turn(client: Client, times: number[]): Promise<void> {
  const end = performance.now() + slice;
  const worker = async (number: number): Promise<void> => {
    for (let i = number; performance.now() < end; i += 7) {
      const started = performance.now();
      const what = i % 10;
      if (what < 6) await client.one(1 + (i % 400));
      else if (what < 8) await client.page(1 + (i % 400));
      else if (what === 8) await client.add(1 + (i % 1000));
      else await client.change(1 + (i % 10_000), `2026-02-${10 + (i % 18)}`);
      times.push(performance.now() - started);
    }
  };
  await Promise.all(Array.from({ length: workers }, (_, number) => worker(number)));
}

const at = (sorted: readonly number[], share: number): number => sorted[Math.floor(sorted.length * share)] ?? 0;

/** The longest that nothing else could run while work was done, in milliseconds. */
async function stall(work: () => Promise<unknown>): Promise<number> {
  const delay = monitorEventLoopDelay({ resolution: 1 });
  delay.enable();
  await new Promise((resolve) => setTimeout(resolve, 20));
  delay.reset();
  await work();
  await new Promise((resolve) => setTimeout(resolve, 5));
  delay.disable();
  return delay.max / 1e6;
}

/** Throughput and latencies under load, and how long rows that are decoded keep the process from anything else. */
export async function loadFigures(benches: readonly Bench[], large: readonly Bench[]): Promise<string> {
  const table = new Table({
    head: ["under load", "bound", ...benches.map(({ name }) => name)],
    style: { head: [], border: [] },
  });
  const [through, halves, tails]: [string[], string[], string[]] = [[], [], []];
  for (const { name, db, hand } of benches) {
    const clients = [ours(db), byHand(hand)] as const;
    const times: [number[], number[]] = [[], []];
    for (const client of clients) await turn(client, []);
    for (let turns = 0; turns < Math.ceil(seconds / (slice / 500)); turns++)
      for (const [i, client] of clients.entries()) {
        process.stderr.write(`${name}: ${workers} at once, ${i === 0 ? "ours" : "by hand"}\n`);
        await turn(client, times[i] as number[]);
      }
    const [mine, theirs] = times.map((own) => own.toSorted((a, b) => a - b)) as [number[], number[]];
    through.push((mine.length / theirs.length).toFixed(2));
    for (const [to, share] of [
      [halves, 0.5],
      [tails, 0.99],
    ] as const)
      to.push(`${at(mine, share).toFixed(1)} and ${at(theirs, share).toFixed(1)} ms`);
  }
  table.push(["statements a second, by those by hand", "at least 0.9", ...through]);
  table.push(["half of them took at most (ours, by hand)", "", ...halves]);
  table.push(["99 of 100 took at most", "", ...tails]);
  const [whole, inPortions]: [string[], string[]] = [[], []];
  for (const { db } of large) {
    await db.list(from(Loan).limit(10_000));
    whole.push(`${(await stall(() => db.list(from(Loan).limit(100_000)))).toFixed(0)} ms`);
    const streaming = async () => {
      let count = 0;
      for await (const { id } of db.stream(from(Loan).limit(100_000))) if (id > 0) count++;
      return count;
    };
    await streaming();
    inPortions.push(`${(await stall(streaming)).toFixed(0)} ms`);
  }
  table.push(["the longest stall while 100,000 rows are listed", "", ...whole]);
  table.push(["the same, streamed", "20 ms", ...inPortions]);
  return String(table);
}
