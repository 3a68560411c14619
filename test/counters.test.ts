import { randomBytes } from "node:crypto";
import fc from "fast-check";
import pg from "pg";
import { beforeAll, describe, expect, inject, test } from "vitest";
import { postgres } from "../src/drivers/postgres.js";
import { type AnyDatabase, createTables, type Database, database, entity, from, identity, integer, literal, model, varchar } from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

const { Ticket, Stub } = model({
  Ticket: entity("ticket", { id: identity, word: varchar(20).defaultsTo("usual") }),
  Stub: entity("ticket_stub", { id: identity, number: integer }),
});

const { all } = useEngines(true);
beforeAll(async () => {
  for (const engine of all()) await createTables(engine.connect(), { Ticket, Stub });
});

const row = (id: number) => ({ id, word: "brought" });

/** Every way in which a row brings the identity `id`, or a few from it on. */
const ways: Readonly<Record<string, (db: AnyDatabase, id: number) => Promise<unknown>>> = {
  "one row": (db, id) => db.insert(Ticket, [row(id)]),
  "one row, returned": (db, id) => db.insert(Ticket, [row(id)], { returning: true }),
  "many rows": (db, id) => db.insert(Ticket, [row(id + 1), row(id), row(id + 2)]),
  "rows of which some bring none": (db, id) => db.insert(Ticket, [{ word: "none" }, row(id + 9)]),
  "rows that come one after the other": (db, id) => db.insert(Ticket, [row(id), row(id + 1)].values()),
  "an upsert": (db, id) => db.upsert(Ticket, [row(id)]),
  "an upsert, returned": (db, id) => db.upsert(Ticket, [row(id)], { returning: (r) => r.id }),
  "an upsert of what is there": async (db, id) => {
    await db.insert(Ticket, [row(id)]);
    await db.upsert(Ticket, [row(id), row(id + 1)]);
    await db.upsert(Ticket, [row(id + 1)]);
  },
  "rows of a query": async (db, id) => {
    await db.insert(Stub, [{ number: id }]);
    const stubs = from(Stub).where((s) => s.number.is(id));
    await db.insertFrom(
      Ticket,
      stubs.select((s) => ({ id: s.number, word: literal(varchar(20), "brought") })),
    );
  },
  "a unit of work": (db, id) => db.work(async (w) => void w.add(Ticket, row(id))),
};

describe.each(Object.entries(ways))("%s", (_, bring) => {
  eachEngine(all, "what rows bring is not handed out again: by itself, in a transaction, beside others", async (db) => {
    const own = async (db: AnyDatabase): Promise<number> => (await db.insert(Ticket, [{ word: "own" }], { returning: true }))[0]?.id ?? 0;
    let last = await own(db);
    for (const step of [1, 2, 40, 5000]) {
      await bring(db, last + step);
      const next = await own(db);
      expect(next).toBeGreaterThanOrEqual(last + step);
      last = await db.transaction(async (tx) => {
        await bring(tx, next + step);
        return await own(tx);
      });
      expect(last).toBeGreaterThanOrEqual(next + step);
      // Whichever of them is the last to move the counter.
      await Promise.all([3, 9, 6].map((beside) => bring(db, last + step + 10 * beside)));
      last = await own(db);
    }
  });
});

const runs = Number(process.env.GEMACH_COUNTED ?? 12);
/** `ahead`: the identity that it brings is so much more than the last one, or one that no counter gives. */
const someRows = fc.array(
  fc.record({
    ahead: fc.oneof(fc.constant(undefined), fc.integer({ min: 10, max: 60 }), fc.constantFrom("zero", "minus")),
    word: fc.constantFrom("m", "n", undefined),
  }),
  { minLength: 1, maxLength: 6 },
);
const batches = fc.array(fc.record({ verb: fc.constantFrom("insert", "upsert"), rows: someRows, isReturned: fc.boolean(), isWithin: fc.boolean() }), {
  minLength: 1,
  maxLength: 5,
});

eachEngine(
  all,
  `${runs} random batches of rows, some of which bring their identity, are there as given; others get one of their own`,
  async (db, { execute }) => {
    const property = fc.asyncProperty(batches, async (given) => {
      await execute("delete from ticket");
      // SQLite goes on from the greatest one, also where that is below zero.
      const [begun] = await db.insert(Ticket, [{ word: "begun" }], { returning: true });
      const there = new Map([[begun?.id ?? 0, "begun"]]);
      for (const { verb, rows, isReturned, isWithin } of given) {
        const last = Math.max(0, ...there.keys());
        const brought = rows.map(({ ahead }, i) => {
          if (ahead === "zero") return there.has(0) || rows.findIndex((one) => one.ahead === "zero") < i ? undefined : 0;
          if (ahead === "minus") return Math.min(0, ...there.keys()) - 1 - i;
          return ahead === undefined ? undefined : last + ahead + 100 * i;
        });
        const full = rows.map(({ word }, i) => ({ ...(brought[i] !== undefined && { id: brought[i] }), ...(word !== undefined && { word }) }));
        const write = (handle: AnyDatabase) => (handle[verb] as Database["insert"])(Ticket, full as { word: string }[], { returning: true });
        const back = await (isWithin ? db.transaction(write) : write(db));
        expect(back.map(({ word }) => word)).toEqual(rows.map(({ word }) => word ?? "usual"));
        for (const [i, { id, word }] of back.entries()) {
          if (brought[i] !== undefined) expect(id).toBe(brought[i]);
          else expect(id).toBeGreaterThan(0);
          expect(there.has(id), `${id} twice`).toBe(false);
          there.set(id, word);
        }
        if (!isReturned) continue;
        const [own] = await db.insert(Ticket, [{ word: "own" }], { returning: true });
        expect(own?.id).toBeGreaterThan(Math.max(0, ...there.keys()));
        there.set(own?.id ?? 0, "own");
      }
      const found = await db.list(from(Ticket));
      expect(found.map(({ id, word }) => [id, word])).toEqual([...there].sort(([a], [b]) => a - b));
    });
    await fc.assert(property, { numRuns: runs });
  },
);

const waiting = { timeLimit: 20_000 };

test("many who bring identities at once set no counter back, and wait for no transaction's end", async () => {
  for (const engine of all()) {
    if (engine.name !== "postgres" && engine.name !== "mariadb") continue;
    const db = engine.connect();
    let at = 1_000_000;
    for (let round = 0; round < 200; round++) {
      at += 100;
      const some = Array.from({ length: 8 }, (_, i) => at + ((i * 37 + round) % 90));
      await Promise.all(some.map((id) => db.upsert(Ticket, [row(id)])));
      const [own] = await db.insert(Ticket, [{ word: "own" }], { returning: true });
      expect(own?.id).toBeGreaterThan(Math.max(...some));
    }
    await db.transaction(async (one) => {
      await one.insert(Ticket, [row(at + 1000)]);
      await db.transaction(async (other) => {
        await other.insert(Stub, [{ id: at, number: 1 }], waiting);
        await other.upsert(Ticket, [row(at + 2000)], waiting);
        await other.insert(Ticket, [{ word: "own" }], waiting);
      });
      await one.insert(Stub, [{ id: at + 10, number: 1 }], waiting);
      await one.insert(Ticket, [{ word: "own" }], waiting);
    });
  }
});

eachEngine(
  all,
  "a column that counts, and that the model takes for a number with a default, counts for rows that leave it out",
  async (db, { name, execute }) => {
    if (name.endsWith("sqlite")) return;
    await execute(
      `create table receipt (code varchar(9) primary key, number integer ${name === "mariadb" ? "auto_increment" : "generated by default as identity"} unique, word varchar(9) default 'x')`,
    );
    const { Receipt } = model({ Receipt: entity("receipt", { code: varchar(9).key, number: integer.defaulted, word: varchar(9).defaulted }) });
    await db.insert(Receipt, [{ code: "a" }, { code: "b", number: 50 }, { code: "c" }, { code: "d", word: "y" }]);
    const numbers = await db.list(from(Receipt).select((r) => r.number));
    expect(numbers).toContain(50);
    expect(numbers.filter((number) => number < 1)).toEqual([]);
    expect(await db.count(from(Receipt).where((r) => r.word.is("x")))).toBe(3);
    await execute("drop table receipt");
  },
);

/** Counters of others: they count downwards, end early, or are not ours to move. */
const odd = ["generated by default as identity (increment -1 maxvalue 100 start 100)", "generated by default as identity (maxvalue 9)", ""];

test("rows bring identities that a counter of others cannot reach, or may not", async () => {
  if (!inject("engines").includes("postgres")) return;
  const engine = all().find(({ name }) => name === "postgres");
  const role = `gemach_clerk_${randomBytes(4).toString("hex")}`;
  await engine?.execute(`create role ${role} login`);
  const url = new URL(engine?.url ?? "");
  url.username = role;
  const pool = new pg.Pool({ connectionString: url.href, max: 1 });
  try {
    for (const [i, kind] of odd.entries()) {
      const table = `odd_ticket_${i}`;
      const { Odd } = model({ Odd: entity(table, { id: identity, word: varchar(20) }) });
      await engine?.execute(`create table ${table} (id integer primary key ${kind || "generated by default as identity"}, word varchar(20))`);
      await engine?.execute(`grant select, insert, update on ${table} to ${role}`);
      const handles = [engine?.connect() as Database, ...(kind === "" ? [database(postgres(pool))] : [])];
      for (const [n, db] of handles.entries()) {
        const given = [500 + n, 600 + n, 700 + n].map((id) => ({ id, word: "brought" }));
        await db.upsert(Odd, given.slice(0, 1));
        await db.insert(Odd, given.slice(1, 2), { returning: true });
        await db.transaction((tx) => tx.upsert(Odd, given));
        expect(await db.count(from(Odd).where((o) => o.id.oneOf(given.map(({ id }) => id))))).toBe(3);
      }
      await engine?.execute(`drop table ${table}`);
    }
  } finally {
    await pool.end();
    await engine?.execute(`drop owned by ${role}`);
    await engine?.execute(`drop role ${role}`);
  }
});
