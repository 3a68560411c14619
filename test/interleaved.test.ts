import { expect } from "vitest";
import { createTables, type Database, entity, from, GemachError, type Isolation, identity, integer, model, sql, text } from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

const { all } = useEngines(true);
const bank = model({
  Purse: entity("il_purse", { id: identity, cents: integer, turn: integer.version }),
  Booking: entity("il_booking", { id: identity, tag: integer, note: text }),
});
const { Purse, Booking } = bank;
const pause = (milliseconds: number) => new Promise((resolve) => setTimeout(resolve, milliseconds));
const byChance = (most: number) => Math.random() * most;
const prepare = async (db: Database, purses: number) => {
  await createTables(db, bank);
  for (const entity of [Purse, Booking] as const) await db.delete(from(entity as typeof Purse), { all: true });
  return await db.insert(
    Purse,
    Array.from({ length: purses }, () => ({ cents: 100 })),
    { returning: (p) => p.id },
  );
};
const again: ReadonlySet<unknown> = new Set(["CONFLICT", "SERIALIZATION_FAILED", "DEADLOCK", "BUSY"]);

/** Does work until nobody is in its way. */
async function until(work: () => Promise<unknown>): Promise<number> {
  for (let turns = 1; ; turns++)
    try {
      await work();
      return turns;
    } catch (error) {
      if (!(error instanceof GemachError && again.has(error.code))) throw error;
      await pause(byChance(5));
    }
}

eachEngine(all, "what several units of work change at once is not lost, on any isolation level", async (db, { name }) => {
  const ofServers: readonly Isolation[] = ["read committed", "repeatable read", "serializable"];
  for (const isolation of name.includes("sqlite") ? ([undefined, "serializable"] as const) : ofServers) {
    const [id] = await prepare(db, 1);
    const add = () =>
      db.work(
        async (w) => {
          const purse = await w.byKey(Purse, id as number);
          await pause(byChance(3));
          purse.cents += 1;
        },
        isolation === undefined ? {} : { isolation },
      );
    await Promise.all(
      Array.from({ length: 3 }, async () => {
        for (let i = 0; i < 5; i++) await until(add);
      }),
    );
    expect(await db.list(from(Purse).select((p) => p.cents)), isolation).toEqual([115]);
  }
});

eachEngine(all, "a hundred bookings at once lose nothing", async (db) => {
  const ids = await prepare(db, 5);
  const booking = (i: number) =>
    db.transaction(
      async (tx) => {
        const [source, target] = [ids[i % 5], ids[(i * 3 + 1) % 5]] as [number, number];
        await tx.update(from(Purse).byKey(source), (p) => ({ cents: p.cents.minus(i) }));
        await tx.update(from(Purse).byKey(target), (p) => ({ cents: p.cents.plus(i) }));
        await tx.insert(Booking, [{ tag: i, note: "moved" }]);
      },
      { retries: 50 },
    );
  await Promise.all(Array.from({ length: 100 }, (_, i) => booking(i)));
  const expected = ids.map((_, at) =>
    Array.from({ length: 100 }, (_each, i) => (i % 5 === at ? -i : 0) + ((i * 3 + 1) % 5 === at ? i : 0)).reduce((a, b) => a + b, 100),
  );
  expect(
    await db.list(
      from(Purse)
        .orderBy((p) => p.id.asc)
        .select((p) => p.cents),
    ),
  ).toEqual(expected);
  expect(await db.count(from(Booking))).toBe(100);
});

const cuts = Number(process.env.GEMACH_CUTS ?? (process.env.CI === "true" ? 50 : 20));
const self = {
  postgres: sql.rows({ id: integer })`select pg_backend_pid()`,
  mariadb: sql.rows({ id: integer })`select connection_id()`,
};
const kill = (db: Database, name: keyof typeof self, id: number): Promise<unknown> =>
  name === "mariadb" ? db.send(sql.command`kill ${id}`) : db.list(sql.rows({ id: integer })`select pg_terminate_backend(${id})::integer`);

eachEngine(all, "a connection that is cut at any moment leaves all or nothing, and the error says what is known", async (db, { name }) => {
  if (name !== "postgres" && name !== "mariadb") return;
  await prepare(db, 1);
  const known = { done: 0, undone: 0, unknown: 0 };
  for (let tag = 0; tag < cuts; tag++) {
    let killed: Promise<unknown> | undefined;
    const outcome = await db
      .work(async (w) => {
        const [connection] = await w.tx.list(self[name]);
        killed = pause(byChance(8)).then(() => kill(db, name, connection?.id as number).catch(() => {}));
        for (let i = 0; i < 3; i++) {
          w.add(Booking, { tag, note: `${i}` });
          await w.flush();
          await pause(byChance(2));
        }
      })
      .then(
        () => "done" as const,
        (error: GemachError) => (error.code === "COMMIT_UNKNOWN" ? "unknown" : "undone"),
      );
    known[outcome]++;
    await killed;
    let count = -1;
    // The connection that was cut may have been given back before.
    while (count < 0) count = await db.count(from(Booking).where((b) => b.tag.is(tag))).catch(() => -1);
    if (outcome === "unknown") expect([0, 3]).toContain(count);
    else expect(count, outcome).toBe(outcome === "done" ? 3 : 0);
  }
  expect(known.undone).toBeGreaterThan(0);
});
