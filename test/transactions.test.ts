import mysql from "mysql2/promise";
import pg from "pg";
import { expect, expectTypeOf, inject, test } from "vitest";
import { mariadb } from "../src/drivers/mariadb.js";
import { postgres } from "../src/drivers/postgres.js";
import {
  type AnyDatabase,
  boolean,
  createTables,
  type Database,
  database,
  entity,
  from,
  identity,
  integer,
  model,
  sql,
  text,
  toMany,
  toOne,
  withLedger,
} from "../src/index.js";
import { undone } from "../src/testing/index.js";
import { eachEngine, useEngines } from "./support/engines.js";
import { mariadbUrl, postgresUrl } from "./support/servers.js";

const { all } = useEngines(true);
const bank = model({
  Account: entity("tx_account", { id: identity, owner: text.unique, cents: integer }, { moves: toMany("Move", { by: "accountId" }) }),
  Move: entity("tx_move", { id: identity, accountId: integer, cents: integer }, { account: toOne("Account", { by: "accountId" }) }),
});
const { Account, Move } = bank;
const notes = model({
  Note: entity("tx_note", { id: identity, deskId: integer, words: text }, {}, { standing: { own: { column: "deskId", given: "desk" } } }),
});

const backend = sql.rows({ pid: integer })`select pg_backend_pid()`;
const ended = (pid: number) => sql.rows({ done: boolean })`select pg_terminate_backend(${pid})`;

const filled = async (db: Database): Promise<void> => {
  await createTables(db, bank);
  await db.delete(from(Move), { all: true });
  await db.delete(from(Account), { all: true });
  await db.insert(Account, [
    { id: 1, owner: "Ada", cents: 500 },
    { id: 2, owner: "Bo", cents: 100 },
  ]);
};
const cents = (db: AnyDatabase) => db.list(from(Account).select((a) => a.cents));
/** Written for a database, it takes a transaction as well. */
async function move(db: AnyDatabase, source: number, target: number, amount: number): Promise<number> {
  await db.update(from(Account).byKey(source), (a) => ({ cents: a.cents.minus(amount) }));
  await db.update(from(Account).byKey(target), (a) => ({ cents: a.cents.plus(amount) }));
  return await db.insert(Move, [
    { accountId: source, cents: -amount },
    { accountId: target, cents: amount },
  ]);
}

eachEngine(all, "a transaction commits at the end of its work, and undoes all of it where that throws", async (db) => {
  await filled(db);
  const told: string[] = [];
  const result = await db.transaction(async (tx) => {
    tx.afterCommit(() => void told.push("committed"));
    expect(await move(tx, 1, 2, 50)).toBe(2);
    const [account] = await tx.list(from(Account).byKey(1).reach({ moves: true }));
    expect(account?.moves.map((m) => m.cents)).toEqual([-50]);
    expect(told).toEqual([]);
    return tx.dialect.name;
  });
  expectTypeOf(result).toEqualTypeOf<"sqlite" | "postgres" | "mariadb">();
  expect([result, told, await cents(db)]).toEqual([db.dialect.name, ["committed"], [450, 150]]);
  const thrown = new Error("no");
  let kept: AnyDatabase | undefined;
  const failing = db.transaction(async (tx) => {
    kept = tx;
    tx.afterCommit(() => void told.push("never"));
    await move(tx, 1, 2, 50);
    throw thrown;
  });
  await expect(failing).rejects.toBe(thrown);
  expect([told, await cents(db), await db.count(from(Move))]).toEqual([["committed"], [450, 150], 2]);
  await expect(cents(kept as AnyDatabase)).rejects.toMatchObject({ code: "TRANSACTION_ENDED", names: { isLent: false } });
  await expect(db.transaction(async (tx) => tx.afterCommit(() => Promise.reject(thrown)))).rejects.toMatchObject({
    code: "AFTER_COMMIT_FAILED",
    cause: thrown,
  });
});

eachEngine(all, "what fails in a transaction inside of another is undone alone", async (db) => {
  await filled(db);
  const told: string[] = [];
  const found = await db.transaction(async (tx) => {
    await move(tx, 1, 2, 10);
    const inner = tx.transaction(async (t2) => {
      t2.afterCommit(() => void told.push("inner, failed"));
      await move(t2, 1, 2, 100);
      await expect(cents(tx)).rejects.toMatchObject({ code: "TRANSACTION_ENDED", names: { isLent: true } });
      return await t2.insert(Account, [{ owner: "Ada", cents: 1 }]);
    });
    await expect(inner).rejects.toMatchObject({ code: "UNIQUE_VIOLATED" });
    await tx.transaction(async (t2) => {
      t2.afterCommit(() => void told.push("inner"));
      await t2.transaction((t3) => move(t3, 2, 1, 1));
    });
    return await cents(tx);
  });
  expect([found, told, await cents(db)]).toEqual([[491, 109], ["inner"], [491, 109]]);
});

eachEngine(all, "one verb of several statements is all or none inside of a transaction, also beside others", async (db) => {
  await filled(db);
  const many = Array.from({ length: 12_000 }, (_, i) => ({ ...(i % 2 === 0 ? { id: 1000 + i } : {}), owner: `o${i}`, cents: i }));
  await db.transaction(async (tx) => {
    const attempts = [
      tx.upsert(Account, [...many, { id: 1, owner: "Bo", cents: 0 }, { owner: "Cy", cents: null as never }]).catch(() => "refused"),
      tx.insert(Account, [...many, { owner: "Bo", cents: 1 }]).catch((error) => error.code),
    ];
    const beside = tx.update(from(Account).byKey(2), { cents: 7 });
    expect(await Promise.all([...attempts, beside])).toEqual(["refused", "UNIQUE_VIOLATED", 1]);
    // A transaction inside waits for a verb that is on its way.
    const late = tx.insert(Account, [...many, { owner: "Bo", cents: 1 }]).catch((error) => error.code);
    const inner = tx.transaction((t2) => t2.update(from(Account).byKey(1), { cents: 8 }));
    expect(await Promise.all([late, inner])).toEqual(["UNIQUE_VIOLATED", 1]);
    expect(await tx.count(from(Account))).toBe(2);
  });
  expect(await cents(db)).toEqual([8, 7]);
});

eachEngine(all, "work beside a transaction never slips into it", async (db, { name }) => {
  await filled(db);
  const isOneHandle = /sqlite|pglite/.test(name);
  const order: string[] = [];
  let begun = () => {};
  const begins = new Promise<void>((resolve) => {
    begun = resolve;
  });
  const first = db
    .transaction(async (tx) => {
      await move(tx, 1, 2, 100);
      begun();
      // On a server the read beside sees the state before; on one handle it waits.
      for (let i = 0; isOneHandle ? i < 5 : order.length === 0; i++) await tx.count(from(Move));
      order.push("first ends");
      throw new Error("undone");
    })
    .catch(() => order.push("first"));
  await begins;
  const second = db.transaction((t2) => move(t2, 1, 2, 1)).then(() => order.push("second"));
  const found = await cents(db);
  order.push("read");
  await Promise.all([first, second]);
  expect(order.slice(0, 2)).toEqual(isOneHandle ? ["first ends", "first"] : ["read", "first ends"]);
  expect(found).toEqual(isOneHandle ? [499, 101] : [500, 100]);
  expect(await cents(db)).toEqual([499, 101]);
});

eachEngine(all, "options: what only reads writes nothing, levels that the engine has, names that are none", async (db, { name }) => {
  await filled(db);
  const reading = { readOnly: true } as const;
  expect(await db.transaction((tx) => cents(tx), reading)).toEqual([500, 100]);
  for (const write of [
    (tx: AnyDatabase) => move(tx, 1, 2, 1),
    (tx: AnyDatabase) => tx.insert(Move, [{ accountId: 1, cents: 1 }]),
    (tx: AnyDatabase) => tx.delete(from(Move), { all: true }),
  ])
    await expect(db.transaction(write, reading)).rejects.toMatchObject({ code: "TRANSACTION_READ_ONLY" });
  const levels = db.transaction((tx) => move(tx, 1, 2, 1), { isolation: "read committed" });
  if (name.endsWith("sqlite")) await expect(levels).rejects.toMatchObject({ code: "ENGINE_UNABLE" });
  else expect(await levels).toBe(2);
  await expect(db.transaction((tx) => cents(tx), { retry: 3 } as never)).rejects.toMatchObject({ code: "OPTION_UNKNOWN" });
  const { statements } = await withLedger(db, "one", () => db.transaction((tx) => tx.count(from(Move))));
  expect(statements.map(({ origin }) => origin.verb)).toEqual(["count"]);
});

eachEngine(all, "what would wait for the transaction that it is called in is refused, on the only connection there is", async (db, { name }) => {
  await filled(db);
  const pools = {
    postgres: () => new pg.Pool({ connectionString: postgresUrl, max: 1 }),
    mariadb: () => mysql.createPool({ uri: mariadbUrl, connectionLimit: 1 }),
  };
  const pool = name === "postgres" || name === "mariadb" ? pools[name]() : undefined;
  const lone = pool === undefined ? db : database(name === "postgres" ? postgres(pool as pg.Pool) : mariadb(pool as mysql.Pool));
  const refused = { code: "TRANSACTION_AWAITED" };
  await lone.transaction(async (tx) => {
    const query = sql.rows({ one: integer })`select 1`;
    expect(await tx.list(query)).toEqual([{ one: 1 }]);
    await expect(lone.list(query)).rejects.toMatchObject(refused);
    await expect(lone.insert(Move, [{ accountId: 1, cents: 1 }])).rejects.toMatchObject(refused);
    await expect(lone.transaction(async () => 1)).rejects.toMatchObject(refused);
  });
  await pool?.end();
});

test.runIf(inject("engines").includes("postgres"))(
  "moves in parallel lose nothing, run again where they meet; a statement after one that failed is refused",
  async () => {
    const pool = new pg.Pool({ connectionString: postgresUrl, max: 5 });
    const db = database(postgres(pool));
    await filled(db);
    const serially = { isolation: "serializable", retries: 50 } as const;
    await Promise.all(
      Array.from({ length: 14 }, (_, i) =>
        db.transaction(async (tx) => {
          const [source, target] = i % 2 === 0 ? [1, 2] : [2, 1];
          const account = await tx.single(from(Account).byKey(source));
          const other = await tx.single(from(Account).byKey(target));
          await tx.update(from(Account).byKey(source), { cents: account.cents - i });
          await tx.update(from(Account).byKey(target), { cents: other.cents + i });
        }, serially),
      ),
    );
    expect(await cents(db)).toEqual([500 + 7, 100 - 7]);
    await expect(
      db.transaction(async (tx) => {
        await tx.insert(Account, [{ owner: "Ada", cents: 0 }]).catch(() => {});
        return await cents(tx);
      }),
    ).rejects.toMatchObject({ code: "TRANSACTION_FAILED" });
    // A connection that ends in the middle of the commit, and one before it.
    const cut = (before: boolean) =>
      db.transaction(async (tx) => {
        await move(tx, 1, 2, 1);
        const [{ pid } = { pid: 0 }] = (await tx.list(backend)) as { pid: number }[];
        await db.list(ended(pid));
        if (before) await cents(tx);
      });
    await expect(cut(true)).rejects.toMatchObject({ code: "CONNECTION_LOST" });
    await expect(cut(false)).rejects.toMatchObject({ code: "COMMIT_UNKNOWN", cause: { code: "CONNECTION_LOST" } });
    expect(await cents(db)).toEqual([507, 93]);
    for (const table of [Move, Account]) await db.send(sql.command`drop table ${table}`);
    await pool.end();
  },
);

eachEngine(all, "inside of another transaction the options of the outermost count, where they are at least as strong", async (db, { name }) => {
  await filled(db);
  const isServer = name !== "sqlite" && name !== "node-sqlite" && name !== "wasm-sqlite";
  /** A service that does not know who calls it. */
  const service = (on: AnyDatabase, isolation: "read committed" | "serializable" | undefined = undefined) =>
    on.transaction(async (tx) => void (await move(tx, 1, 2, 10)), {
      retries: 3,
      budget: 5,
      timeLimit: 60_000,
      ...(isolation === undefined ? {} : { isolation }),
    });
  await undone(db, async (tx) => {
    await service(tx);
    await tx.work(
      async (w) => {
        const account = await w.byKey(Account, 1);
        account.cents += 1;
      },
      { retries: 2, readOnly: false },
    );
    expect(await cents(tx)).toEqual([491, 110]);
    const weaker = service(tx, "serializable");
    if (isServer) await expect(weaker).rejects.toMatchObject({ code: "TRANSACTION_WEAKER" });
    else await weaker;
  });
  await undone(db, async (tx) => await service(tx, "serializable"), isServer ? { isolation: "serializable" } : {});
  await expect(undone(db, async (tx) => await tx.transaction((inner) => move(inner, 1, 2, 1), { readOnly: true }))).rejects.toMatchObject({
    code: "TRANSACTION_READ_ONLY",
  });
  await expect(undone(db, async (tx) => await tx.transaction((inner) => move(inner, 1, 2, 1), { budget: 2 }))).rejects.toMatchObject({
    code: "BUDGET_EXCEEDED",
  });
  await expect(undone(db, (tx) => tx.transaction(async () => {}, { retry: 3 } as never))).rejects.toMatchObject({ code: "OPTION_UNKNOWN" });
  expect(await cents(db)).toEqual([500, 100]);
});

eachEngine(all, "handles of one database join one transaction, each with what it gives, and work that outlives it is outside again", async (db, engine) => {
  await filled(db);
  const { Note } = notes;
  await createTables(db, notes);
  const ambient = engine.connect({ ambient: true });
  await ambient.as({ desk: 1 }).delete(from(Note).lift("own"), { all: true });
  const [one, two] = [ambient.as({ desk: 1 }), ambient.as({ desk: 2 })];
  const seen = async (on: AnyDatabase) => await on.list(from(Note).select((n) => n.words));
  let late: Promise<unknown> = Promise.resolve();
  let isEnded = () => {};
  const end = new Promise<void>((resolve) => {
    isEnded = resolve;
  });
  await expect(
    one.transaction(async () => {
      await one.insert(Note, [{ words: "first" }]);
      await two.insert(Note, [{ words: "second" }]);
      expect([await seen(one), await seen(two)]).toEqual([["first"], ["second"]]);
      await two.transaction(async (tx) => {
        expect(await seen(tx)).toEqual(["second"]);
        await two.work(async (w) => void w.add(Note, { words: "third" }));
      });
      expect([await seen(one), await seen(two)]).toEqual([["first"], ["second", "third"]]);
      await ambient.insert(Account, [{ owner: "Cy", cents: 1 }]);
      late = end.then(async () => [await two.insert(Note, [{ words: "late" }]), await seen(two)]);
      throw new Error("undone");
    }),
  ).rejects.toThrow("undone");
  isEnded();
  expect(await late).toEqual([1, ["late"]]);
  expect([await seen(one), await seen(two)]).toEqual([[], ["late"]]);
  expect(await cents(db)).toEqual([500, 100]);
});
