import mysql from "mysql2/promise";
import pg from "pg";
import { expect, inject, test } from "vitest";
import { mariadb } from "../src/drivers/mariadb.js";
import { postgres } from "../src/drivers/postgres.js";
import { createTables, type Database, database, entity, from, identity, integer, model, sql } from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";
import { mariadbUrl, postgresUrl } from "./support/servers.js";

const { all } = useEngines();
const { Tally, ...rest } = model({ Tally: entity("limits_tally", { id: identity, n: integer }) });
const prepare = async (db: Database) => {
  await createTables(db, { Tally, ...rest });
  await db.delete(from(Tally), { all: true });
};
const pause = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds));
const late = { code: "TIME_LIMIT_PASSED" };

eachEngine(all, "a limit ends a verb before it is sent, and work that takes too long, and undoes it", async (db) => {
  await prepare(db);
  const ended = new AbortController();
  ended.abort(new Error("gone"));
  const { signal } = ended;
  const rows = [{ n: 1 }];
  const calls = [
    () => db.insert(Tally, rows, { signal }),
    () => db.upsert(Tally, [{ id: 1, n: 1 }], { signal }),
    () => db.list(from(Tally), { signal }),
    () => db.count(from(Tally), { signal }),
    () => db.page(from(Tally), { size: 1, signal }),
    () => db.stream(from(Tally), { signal }).next(),
    () => db.send(sql.command`delete from limits_tally`, { signal }),
    () => db.transaction(async () => {}, { signal }),
  ];
  for (const call of calls) await expect(call()).rejects.toMatchObject({ code: "ABORTED", cause: { message: "gone" } });
  await expect(db.list(from(Tally), { timeLimit: -1 })).rejects.toMatchObject({ code: "VALUE_UNFIT" });
  await expect(db.list(from(Tally), { timeout: 1 } as object)).rejects.toMatchObject({ code: "OPTION_UNKNOWN" });
  const begun = Date.now();
  const slow = db.transaction(
    async (tx) => {
      await tx.insert(Tally, rows);
      await pause(5000);
    },
    { timeLimit: 60 },
  );
  await expect(slow).rejects.toMatchObject(late);
  const looping = db.transaction(
    async (tx) => {
      for (;;) await tx.insert(Tally, rows);
    },
    { timeLimit: 60 },
  );
  await expect(looping).rejects.toMatchObject(late);
  expect(Date.now() - begun).toBeLessThan(2000);
  await db.transaction(async (tx) => {
    const inner = tx.transaction(
      async (nested) => {
        await nested.insert(Tally, rows);
        await pause(5000);
      },
      { timeLimit: 30 },
    );
    await expect(inner).rejects.toMatchObject(late);
    await tx.insert(Tally, [{ n: 2 }]);
  });
  expect(await db.list(from(Tally).select((t) => t.n))).toEqual([2]);
});

/** One connection, and a statement that would take minutes on it. */
const servers = [
  [
    "postgres",
    () => {
      const pool = new pg.Pool({ connectionString: postgresUrl, max: 1 });
      return { db: database(postgres(pool)), end: () => pool.end() };
    },
    sql.rows({ n: integer })`select 1 from pg_sleep(120)`,
  ],
  [
    "mariadb",
    () => {
      const pool = mysql.createPool({ uri: mariadbUrl, connectionLimit: 1 });
      return { db: database(mariadb(pool)), end: () => pool.end() };
    },
    sql.rows({
      n: integer,
    })`with recursive bit as (select 1 as n union all select n + 1 from bit where n < 500) select count(*) from bit a, bit b, bit c, bit d`,
  ],
] as const;

for (const [name, open, long] of servers)
  test.skipIf(!inject("engines").includes(name))(`a statement that is ended stops on the server, and its connection works on: ${name}`, async () => {
    const { db, end } = open();
    const quick = sql.rows({ n: integer })`select 7 as n`;
    try {
      for (let i = 0; i < 3; i++) {
        await expect(db.list(long, { timeLimit: 50 })).rejects.toMatchObject(late);
        expect(await db.list(quick)).toEqual([{ n: 7 }]);
      }
      const ending = new AbortController();
      const aborted = db.transaction(async (tx) => {
        setTimeout(() => ending.abort(), 50);
        // What waits for the connection is ended as well, and takes it from nobody afterwards.
        return await tx.list(long, { signal: ending.signal });
      });
      await pause(20);
      await expect(db.list(quick, { timeLimit: 10 })).rejects.toMatchObject(late);
      await expect(aborted).rejects.toMatchObject({ code: "ABORTED" });
      expect(await db.list(quick)).toEqual([{ n: 7 }]);
    } finally {
      await end();
    }
  });

eachEngine(all, "verbs of an ambient database join the transaction that calls them", async (_, { connect }) => {
  const db = connect({ ambient: true });
  await prepare(db);
  const failing = db.transaction(async () => {
    await db.insert(Tally, [{ n: 1 }]);
    await db.transaction(async () => void (await db.insert(Tally, [{ n: 2 }])));
    await Promise.all([pause(1).then(() => db.insert(Tally, [{ n: 3 }])), db.count(from(Tally))]);
    expect(await db.count(from(Tally))).toBe(3);
    throw new Error("no");
  });
  await expect(failing).rejects.toThrow("no");
  await db.insert(Tally, [{ n: 4 }]);
  const reading = db.transaction(() => db.insert(Tally, [{ n: 5 }]), { readOnly: true });
  await expect(reading).rejects.toMatchObject({ code: "TRANSACTION_READ_ONLY" });
  expect(await db.list(from(Tally).select((t) => t.n))).toEqual([4]);
});

test("many transactions that throw, time out or are aborted leave a pool of five whole", async () => {
  if (!inject("engines").includes("postgres")) return;
  const pool = new pg.Pool({ connectionString: postgresUrl, max: 5 });
  const db = database(postgres(pool));
  try {
    await prepare(db);
    const endings = Array.from({ length: 200 }, async (_, i) => {
      const stopping = new AbortController();
      setTimeout(() => stopping.abort(), (i * 7) % 900);
      await db.transaction(
        async (tx) => {
          await tx.insert(Tally, [{ n: i }]);
          await tx.list(sql.rows({ n: integer })`select 1 from pg_sleep(${((i * 13) % 20) / 1000})`);
          if (i % 3 === 0) throw new Error("thrown");
          await tx.insert(Tally, [{ n: i }, { n: i }]);
        },
        i % 50 === 1 ? { budget: -1 } : i % 2 === 0 ? { signal: stopping.signal } : { timeLimit: 5 + ((i * 11) % 1500) },
      );
    });
    const results = await Promise.allSettled(endings);
    const codes = new Set(results.map((one) => (one.status === "fulfilled" ? "done" : (one.reason.code ?? "thrown"))));
    expect([...codes].toSorted()).toEqual(["ABORTED", "LIMIT_UNFIT", "TIME_LIMIT_PASSED", "done", "thrown"]);
    expect(await db.count(from(Tally))).toBe(3 * results.filter((one) => one.status === "fulfilled").length);
    expect([pool.idleCount, pool.waitingCount]).toEqual([pool.totalCount, 0]);
  } finally {
    await db.send(sql.command`drop table if exists limits_tally`);
    await pool.end();
  }
});
