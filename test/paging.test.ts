import fc from "fast-check";
import { expect, test } from "vitest";
import { type Database, from, type Portion, type Query, withLedger } from "../src/index.js";
import { generate, lending } from "../tools/src/demo/index.js";
import { eachEngine, useSociety } from "./support/engines.js";

const { Depot, Item, Loan, Member, Repair, Reservation } = lending;
const society = generate(4, 17, { items: 6, members: 5, loans: 15 });
const all = useSociety(society);

interface Sliced extends Query<unknown> {
  after(cursor: string): Sliced;
  before(cursor: string): Sliced;
}

/** Queries whose order has ties, missing values, decimals, instants, paths, expressions, or is that of a join. */
const queries: readonly (readonly [what: string, query: Sliced])[] = [
  ["by key", from(Loan)],
  ["with missing values first", from(Loan).orderBy((l) => l.returned.asc)],
  ["with missing values last, ties", from(Loan).orderBy((l) => [l.returned.desc, l.due.asc])],
  [
    "by a path, reaching on",
    from(Loan)
      .orderBy((l) => [l.borrower.sponsor.name.asc, l.due.desc])
      .reach({ item: true }),
  ],
  ["with missing values last all the same", from(Loan).orderBy((l) => [l.returned.asc.nullsLast, l.memberId.desc])],
  ["with missing values first all the same", from(Member).orderBy((m) => m.sponsor.name.desc.nullsFirst)],
  ["by decimals", from(Repair).orderBy((r) => r.cost.desc)],
  ["by an instant", from(Repair).orderBy((r) => r.begun.asc)],
  [
    "by an expression, narrowed",
    from(Loan)
      .where((l) => l.item.depotId.is(2))
      .orderBy((l) => l.due.month().desc),
  ],
  ["by a count", from(Item).orderBy((i) => i.loans.count().desc)],
  ["by a UUID", from(Reservation).select((r) => ({ code: r.code, deposit: r.deposit }))],
  [
    "by 64 bits",
    from(Reservation)
      .orderBy((r) => r.scans.desc)
      .select((r) => r.code),
  ],
  [
    "of a join",
    from(Depot)
      .leftJoin(Reservation, (d, r) => r.item.depotId.is(d.id))
      .orderBy((d) => d.town.asc)
      .select((d, r) => ({ depot: d.name, code: r.code })),
  ],
];

async function forwards(db: Database, query: Sliced, size: number): Promise<Portion<unknown>[]> {
  const portions = [await db.portion(query, size)];
  for (let next = portions[0]?.next ?? null; next !== null; ) {
    const portion = await db.portion(query.after(next), size);
    portions.push(portion);
    next = portion.next;
  }
  return portions;
}

test.each(queries)("portions %s are the list, there and back", async (_, query) => {
  for (const engine of all()) {
    const db = engine.connect();
    const rows = await db.list(query);
    for (const size of [1, 4, 7, rows.length, rows.length + 1]) {
      const portions = await forwards(db, query, size);
      expect(
        portions.flatMap((portion) => portion.rows),
        `${engine.name} by ${size}`,
      ).toStrictEqual(rows);
      expect(portions[0]?.previous).toBeNull();
      const back: unknown[][] = [portions.at(-1)?.rows ?? []];
      for (let previous = portions.at(-1)?.previous ?? null; previous !== null; ) {
        const portion = await db.portion(query.before(previous), size);
        back.unshift(portion.rows);
        previous = portion.previous;
      }
      expect(back.flat(), `${engine.name} back by ${size}`).toStrictEqual(rows);
    }
    const streamed: unknown[] = [];
    for await (const row of db.stream(query, { chunk: 5 })) streamed.push(row);
    expect(streamed, `${engine.name}, a stream`).toStrictEqual(rows);
  }
});

eachEngine(all, "rows that come and go between portions shift nothing", async (db, engine) => {
  const query = from(Member)
    .orderBy((m) => m.name.asc)
    .select((m) => ({ id: m.id, name: m.name }));
  const rows = await db.list(query);
  const first = await db.portion(query, 5);
  await db.insert(Member, [{ name: "!first", blocked: false }]);
  const second = await db.portion(query.after(first.next as string), 5);
  expect([...first.rows, ...second.rows]).toStrictEqual(rows.slice(0, 10));
  expect(
    (await db.list(query.before(first.next as string).limit(2))).map(({ name }) => name),
    engine.name,
  ).toEqual(rows.slice(2, 4).map(({ name }) => name));
  expect(await db.count(query.after(first.next as string))).toBe(rows.length - 5);
  await engine.execute("delete from member where name = '!first'");
});

eachEngine(all, "pages have rows, total and their number", async (db) => {
  const query = from(Loan).orderBy((l) => l.due.desc);
  const rows = await db.list(query);
  const pages = Math.ceil(rows.length / 25);
  expect(await db.page(query, { size: 25, number: 2 })).toStrictEqual({ rows: rows.slice(25, 50), total: rows.length, pages, number: 2, size: 25 });
  expect(await db.page(query, { size: 25, number: 99 })).toStrictEqual({ rows: [], total: rows.length, pages, number: 99, size: 25 });
  expect(await db.page(query.limit(30), { size: 25, number: 2 })).toStrictEqual({ rows: rows.slice(25, 30), total: 30, pages: 2, number: 2, size: 25 });
  await expect(db.page(query, { size: 0 })).rejects.toMatchObject({ code: "LIMIT_UNFIT" });
});

eachEngine(all, "several readers of one stream get each of its rows once", async (db) => {
  const ids = await db.list(from(Loan).select((l) => l.id));
  for (const [readers, chunk] of [
    [1, 1],
    [2, 7],
    [4, 5],
    [50, 3],
  ] as const) {
    const stream = db.stream(
      from(Loan).select((l) => l.id),
      { chunk },
    );
    const taken: number[] = [];
    const take = async () => {
      for (;;) {
        const next = await stream.next();
        if (next.done === true) break;
        taken.push(next.value);
      }
      expect(await stream.next()).toEqual({ value: undefined, done: true });
    };
    await Promise.all(Array.from({ length: readers }, take));
    expect(
      taken.toSorted((a, b) => a - b),
      `${readers} readers`,
    ).toEqual(ids);
  }
});

test("a stream that ends early sends no more", async () => {
  const db = all()[0]?.connect() as Database;
  const ledger = await withLedger(db, "stream", async () => {
    for await (const loan of db.stream(from(Loan).reach({ item: true }).how("batch"), { chunk: 10 })) if (loan.id === 12) break;
  });
  expect(ledger.statements).toHaveLength(4);
  expect(Math.max(...ledger.statements.map(({ rows }) => rows))).toBeLessThanOrEqual(11);
});

test("a cursor that does not fit is refused before anything is sent", async () => {
  const db = all()[0]?.connect() as Database;
  const byDue = from(Loan).orderBy((l) => l.due.asc);
  const { next } = await db.portion(byDue, 3);
  const sent = await withLedger(db, "cursors", async () => {
    for (const query of [from(Loan).orderBy((l) => l.due.desc), from(Loan)])
      await expect(db.portion(query.after(next as string), 3)).rejects.toMatchObject({ code: "CURSOR_UNFIT" });
    await fc.assert(
      fc.asyncProperty(
        fc.oneof(
          fc.string({ unit: "binary" }),
          fc.json().map((text) => Buffer.from(text).toString("base64url")),
        ),
        async (cursor) => {
          await expect(db.portion(byDue.after(cursor), 3)).rejects.toMatchObject({ code: "CURSOR_UNFIT" });
        },
      ),
      { numRuns: 300 },
    );
  });
  expect(sent.statements).toHaveLength(0);
});
