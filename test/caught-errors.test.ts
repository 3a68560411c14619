import { expect } from "vitest";
import { boolean, createTables, type Database, entity, from, identity, integer, literal, model, sql, type Transaction, text } from "../src/index.js";
import { type Engine, eachEngine, useEngines } from "./support/engines.js";

const { all } = useEngines();
const tables = model({
  Entry: entity("ce_entry", { id: identity, name: text.unique, n: integer }),
  Source: entity("ce_source", { id: identity, name: text }),
});
const { Entry, Source } = tables;

/** What has an engine refuse to write a row named 'bad', or to delete one named 'second': it leaves the transaction open, or rolls it back. */
const refused = (event: string): string => (event === "delete" ? "old.name = 'second'" : "new.name = 'bad'");
const triggers: Readonly<Record<string, readonly (readonly [how: string, on: (event: string) => string])[]>> = {
  sqlite: (["abort", "fail", "rollback"] as const).map((how) => [
    `raise(${how})`,
    (event) => `create trigger ce_${event} before ${event} on ce_entry when ${refused(event)} begin select raise(${how}, 'no'); end`,
  ]),
  postgres: [
    [
      "a trigger",
      (event) =>
        `create or replace function ce_${event}() returns trigger language plpgsql as $$ begin if ${refused(event)} then raise exception 'no'; end if; if tg_op = 'DELETE' then return old; end if; return new; end $$;
        create trigger ce_${event} before ${event} on ce_entry for each row execute function ce_${event}()`,
    ],
  ],
  mariadb: [
    [
      "a trigger",
      (event) =>
        `create trigger ce_${event} before ${event} on ce_entry for each row begin if ${refused(event)} then signal sqlstate '45000' set message_text = 'no'; end if; end`,
    ],
  ],
};
const events = ["insert", "update", "delete"] as const;
const kindOf = (name: string): string => (name === "pglite" ? "postgres" : name.includes("sqlite") ? "sqlite" : name);

type Failing = readonly [what: string, fail: (tx: Transaction) => Promise<unknown>];

/** Every verb that writes, on a row that a trigger refuses. */
const byTrigger: readonly Failing[] = [
  ["insert", (tx) => tx.insert(Entry, [{ name: "bad", n: 1 }])],
  [
    "insert of several",
    (tx) =>
      tx.insert(Entry, [
        { name: "good", n: 1 },
        { name: "bad", n: 1 },
      ]),
  ],
  [
    "insert of rows in turn",
    (tx) =>
      tx.insert(
        Entry,
        [
          { name: "good", n: 1 },
          { name: "bad", n: 1 },
        ].values(),
      ),
  ],
  ["upsert", (tx) => tx.upsert(Entry, [{ name: "bad", n: 1 }], { by: ["name"] })],
  [
    "insertFrom",
    (tx) =>
      tx.insertFrom(
        Entry,
        from(Source).select(() => ({ name: literal(text, "bad"), n: literal(integer, 1) })),
      ),
  ],
  [
    "update",
    (tx) =>
      tx.update(
        from(Entry).where((e) => e.name.is("first")),
        { name: "bad" },
      ),
  ],
  [
    "updateRows",
    (tx) =>
      tx.updateRows(Entry, [
        { id: 1, name: "bad" },
        { id: 2, n: 9 },
      ]),
  ],
  ["delete", (tx) => tx.delete(from(Entry).where((e) => e.name.is("second")))],
  ["send", (tx) => tx.send(sql.command`insert into ${Entry} (name, n) values (${"bad"}, 1)`)],
  ["work", (tx) => tx.work(async (w) => void w.add(Entry, { name: "bad", n: 1 }))],
];

/** Failures that no trigger makes. */
const byOthers: readonly Failing[] = [
  ["unique", (tx) => tx.insert(Entry, [{ name: "first", n: 1 }])],
  ["unknown table", (tx) => tx.list(sql.rows({ id: integer })`select id from ce_nowhere`)],
  ["division by nothing", (tx) => tx.list(sql.rows({ id: integer })`select 1 / 0 as id`)],
  ["time limit", (tx) => tx.list(from(Entry), { timeLimit: 0.000_001 })],
  ["lost to itself", (tx) => tx.transaction(async (inner) => inner.insert(Entry, [{ name: "first", n: 1 }]))],
];

/** Ways to catch it and go on. */
const ways: readonly (readonly [string, (db: Database, fail: Failing[1], done: () => void) => Promise<unknown>])[] = [
  [
    "in a transaction",
    (db, fail, done) =>
      db.transaction(async (tx) => {
        tx.afterCommit(done);
        await tx.insert(Entry, [{ name: "before", n: 1 }]);
        await fail(tx).catch(() => {});
        await tx.insert(Entry, [{ name: "after", n: 1 }]);
      }),
  ],
  [
    "at the end of a transaction",
    (db, fail, done) =>
      db.transaction(async (tx) => {
        tx.afterCommit(done);
        await tx.insert(Entry, [
          { name: "before", n: 1 },
          { name: "after", n: 1 },
        ]);
        await fail(tx).catch(() => {});
      }),
  ],
  [
    "in a transaction inside",
    (db, fail, done) =>
      db.transaction(async (tx) => {
        tx.afterCommit(done);
        await tx.insert(Entry, [{ name: "before", n: 1 }]);
        await tx.transaction((inner) => fail(inner)).catch(() => {});
        await tx.insert(Entry, [{ name: "after", n: 1 }]);
      }),
  ],
  [
    "in a unit of work",
    (db, fail, done) =>
      db.work(async (w) => {
        w.afterCommit(done);
        w.add(Entry, { name: "before", n: 1 });
        await w.flush();
        await fail(w.tx).catch(() => {});
        w.add(Entry, { name: "after", n: 1 });
      }),
  ],
  [
    "where others wait",
    (db, fail, done) =>
      db.transaction(async (tx) => {
        tx.afterCommit(done);
        await tx.insert(Entry, [{ name: "before", n: 1 }]);
        await Promise.allSettled([fail(tx), tx.insert(Entry, [{ name: "after", n: 1 }]), tx.insert(Entry, [{ name: "last", n: 1 }])]).then((ends) => {
          const lost = ends.slice(1).find(({ status }) => status === "rejected");
          if (lost !== undefined) throw (lost as PromiseRejectedResult).reason;
        });
      }),
  ],
];

async function filled(db: Database, { name, execute }: Engine, trigger: (event: string) => string): Promise<void> {
  const where = kindOf(name) === "postgres" ? " on ce_entry" : "";
  for (const event of events) await execute(`drop trigger if exists ce_${event}${where}`);
  await db.delete(from(Entry), { all: true });
  await db.insert(Entry, [
    { id: 1, name: "first", n: 0 },
    { id: 2, name: "second", n: 0 },
  ]);
  for (const event of events) await execute(trigger(event));
}

/** All of it, or none and told. */
async function expectWhole(db: Database, what: string, run: (done: () => void) => Promise<unknown>): Promise<boolean> {
  let done = 0;
  const end = await run(() => void done++).then(
    () => "resolved",
    (error: unknown) => (error as { code?: string }).code ?? String(error),
  );
  const names = await db.list(
    from(Entry)
      .where((e) => e.name.oneOf(["before", "after"]))
      .orderBy((e) => e.name.asc)
      .select((e) => e.name),
  );
  const isWhole = end === "resolved";
  expect({ names, done }, `${what}: ${end}`).toEqual(isWhole ? { names: ["after", "before"], done: 1 } : { names: [], done: 0 });
  return isWhole;
}

eachEngine(all, "a statement that fails and is caught leaves a transaction that is whole, or none and told", async (db, engine) => {
  await createTables(db, tables);
  await db.insert(Source, [{ name: "source" }]);
  const told: string[] = [];
  for (const [how, trigger] of triggers[kindOf(engine.name)] ?? [])
    for (const [verb, fail] of [...byTrigger, ...byOthers])
      for (const [way, run] of ways) {
        const what = `${how}, ${verb}, ${way}`;
        await filled(db, engine, trigger);
        if (!(await expectWhole(db, what, (done) => run(db, fail, done)))) told.push(what);
      }
  // Each engine ended transactions in its own way, so that the paths under test ran.
  const written = byTrigger.flatMap(([verb]) => ways.map(([way]) => `${verb}, ${way}`));
  if (kindOf(engine.name) === "sqlite") expect(told).toEqual(written.map((what) => `raise(rollback), ${what}`));
  if (kindOf(engine.name) === "postgres") expect(told.length).toBeGreaterThan(byTrigger.length);
  if (engine.name === "mariadb") expect(told).toEqual([]);
});

/** Has another transaction hold the row that this one wants, and want the one that this one holds. */
async function deadlocked(db: Database, tx: Transaction): Promise<unknown> {
  const update = (on: Transaction, id: number) => on.update(from(Entry).byKey(id), (e) => ({ n: e.n.plus(1) }));
  let held = () => {};
  const isHeld = new Promise<void>((resolve) => {
    held = resolve;
  });
  let wanted = () => {};
  const isWanted = new Promise<void>((resolve) => {
    wanted = resolve;
  });
  const other = db.transaction(async (heavier) => {
    // MariaDB ends the transaction that has written less, PostgreSQL the one that waited first.
    await heavier.insert(
      Source,
      Array.from({ length: 200 }, (_, i) => ({ name: `row ${i}` })),
    );
    await update(heavier, 2);
    held();
    await isWanted;
    await new Promise((resolve) => setTimeout(resolve, 150));
    await update(heavier, 1);
  });
  try {
    await isHeld;
    await update(tx, 1);
    const waiting = update(tx, 2);
    wanted();
    return await waiting;
  } finally {
    await other.catch(() => {});
  }
}

const pid = sql.rows({ id: integer })`select pg_backend_pid() as id`;
const cuts: Readonly<Record<string, (db: Database, tx: Transaction) => Promise<unknown>>> = {
  postgres: async (db, tx) => {
    const [own] = await tx.list(pid);
    await db.list(sql.rows({ done: boolean })`select pg_terminate_backend(${own?.id ?? 0})`);
    await tx.count(from(Entry));
  },
  mariadb: async (db, tx) => {
    const [own] = await tx.list(sql.rows({ id: integer })`select connection_id() as id`);
    await db.send(sql.command`kill ${own?.id ?? 0}`);
    await tx.count(from(Entry));
  },
};
const sleeping: Readonly<Record<string, (tx: Transaction) => Promise<unknown>>> = {
  postgres: (tx) => tx.list(sql.rows({ done: text })`select pg_sleep(20)::text as done`, { timeLimit: 50 }),
  mariadb: (tx) => tx.list(sql.rows({ done: integer })`select sleep(20) as done`, { timeLimit: 50 }),
};

eachEngine(all, "so does one that loses a deadlock, its connection or its time, by chance of the server", async (db, engine) => {
  const { name } = engine;
  if (name !== "postgres" && name !== "mariadb") return;
  await createTables(db, tables);
  const [, trigger] = triggers[name]?.[0] ?? [];
  const codes: Readonly<Record<string, unknown>> = { deadlock: "DEADLOCK", cut: "CONNECTION_LOST", time: "TIME_LIMIT_PASSED" };
  const failing: readonly Failing[] = [
    ["deadlock", (tx) => deadlocked(db, tx)],
    ["cut", (tx) => (cuts[name] as (typeof cuts)["postgres"])(db, tx)],
    ["time", (tx) => (sleeping[name] as (typeof sleeping)["postgres"])(tx)],
  ];
  for (const [what, fail] of failing)
    for (const [way, run] of ways) {
      await filled(db, engine, trigger as (event: string) => string);
      const caught: unknown[] = [];
      const noted: Failing[1] = (tx) =>
        fail(tx).catch((error: unknown) => {
          caught.push((error as { code?: unknown }).code);
          throw error;
        });
      const isWhole = await expectWhole(db, `${what}, ${way}`, (done) => run(db, noted, done));
      expect(caught, `${what}, ${way}`).toEqual([codes[what]]);
      const isKept =
        what === "time"
          ? name === "mariadb" || way === "in a transaction inside"
          : name === "postgres" && what === "deadlock" && way === "in a transaction inside";
      expect(isWhole, `${what}, ${way}`).toBe(isKept);
    }
  // Whoever asked for retries gets them, although the work caught the error that lost.
  await filled(db, engine, trigger as (event: string) => string);
  let runs = 0;
  await db.transaction(
    async (tx) => {
      await tx.insert(Entry, [{ name: `run ${++runs}`, n: 1 }]);
      if (runs === 1) await deadlocked(db, tx).catch(() => {});
    },
    { retries: 1 },
  );
  expect(
    await db.list(
      from(Entry)
        .where((e) => e.name.startsWith("run"))
        .select((e) => e.name),
    ),
  ).toEqual(["run 2"]);
});
