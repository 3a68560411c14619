import { createHash } from "node:crypto";
import pg from "pg";
import { afterAll, beforeAll, expect, inject, test } from "vitest";
import { postgres } from "../src/drivers/postgres.js";
import { sha256 } from "../src/drivers/postgres-sha256.js";
import { createTables, type Database, database, entity, from, identity, integer, model, sql, text } from "../src/index.js";
import { type Engine, useEngines } from "./support/engines.js";
import { type Pooler, startPooler } from "./support/pooler.js";
import { seed } from "./support/seed.js";

const isThere = inject("engines").includes("postgres") && inject("pooler");
const { all } = useEngines();

/** Tables for fifty texts, every other with more columns, so that any row of another table is seen. */
const narrow = (at: number) => model({ Table: entity(`po_table_${at}`, { id: identity, tag: text }) });
const wide = (at: number) => model({ Table: entity(`po_table_${at}`, { id: identity, tag: text, n: integer.nullable, more: text.nullable }) });
const models = Array.from({ length: 25 }, (_, at) => (at % 2 === 0 ? narrow(at) : (wide(at) as unknown as ReturnType<typeof narrow>)));
const tableAt = (at: number) => (models[at % models.length] as ReturnType<typeof narrow>).Table;

let pooler: Pooler | undefined;
let server: Engine;
beforeAll(async () => {
  if (!isThere) return;
  server = all().find(({ name }) => name === "postgres") as Engine;
  const db = server.connect();
  for (const [at, one] of models.entries()) {
    await createTables(db, one);
    await db.insert(
      one.Table,
      Array.from({ length: 3 }, (_, i) => ({ tag: `${at} ${i}` })),
    );
  }
  pooler = await startPooler(server.url as string, 4);
});
afterAll(async () => await pooler?.close());

interface Outcome {
  wrong: number;
  failed: Map<string, number>;
  right: number;
}

/** So many reads of all tables by several who each have a connection, single ones, several in a transaction, and some that write. */
async function read(pools: readonly pg.Pool[], options: Parameters<typeof postgres>[1], statements: number): Promise<Outcome> {
  const handles: Database[] = pools.map((pool) => database(postgres(pool, options)));
  const outcome: Outcome = { wrong: 0, failed: new Map(), right: 0 };
  let state = seed + 1;
  const next = (): number => {
    state = (state * 48271) % 2147483647;
    return state / 2147483647;
  };
  let left = statements;
  const one = async (on: Pick<Database, "list" | "update">, at: number, isWhole: boolean): Promise<void> => {
    const own = from(tableAt(at)).where((t) => t.tag.startsWith(`${at} `));
    const tags: unknown[] = isWhole ? (await on.list(own)).map((row) => row.tag) : await on.list(own.select((t) => t.tag));
    if (tags.length === 3 && tags.every((tag) => String(tag).startsWith(`${at} `))) outcome.right++;
    else outcome.wrong++;
  };
  const reader = async (db: Database): Promise<void> => {
    while (left > 0) {
      left--;
      const [at, isWhole, isWithin] = [Math.floor(next() * models.length), next() < 0.5, next() < 0.2];
      try {
        if (!isWithin) await one(db, at, isWhole);
        else
          await db.transaction(async (tx) => {
            await one(tx, at, isWhole);
            await one(tx, (at + 1) % models.length, isWhole);
            await tx.update(from(tableAt(at)).byKey(1), { tag: `${at} 0` });
          });
      } catch (error) {
        const code = (error as { code?: string }).code ?? String(error);
        outcome.failed.set(code, (outcome.failed.get(code) ?? 0) + 1);
      }
    }
  };
  await Promise.all(handles.flatMap((db) => Array.from({ length: 6 }, () => reader(db))));
  return outcome;
}

const many = Number(process.env.GEMACH_POOLED ?? 4000);

test.runIf(isThere)("behind a pooler that shares connections each statement is answered by its own rows, by default", async () => {
  const pools = [1, 2].map(() => new pg.Pool({ connectionString: pooler?.url as string, max: 6 }));
  try {
    const { wrong, failed, right } = await read(pools, {}, many);
    expect({ wrong, failed: [...failed] }).toEqual({ wrong: 0, failed: [] });
    expect(right).toBeGreaterThanOrEqual(many);
    // Nothing was prepared on the server's connections; without the pooler it is.
    const db = database(postgres(pools[0] as pg.Pool));
    const count = sql.rows({ count: integer })`select count(*)::integer as count from pg_prepared_statements where name like 'gemach%'`;
    expect(await db.list(count)).toEqual([{ count: 0 }]);
  } finally {
    await Promise.all(pools.map((pool) => pool.end()));
  }
});

test.runIf(isThere)("whoever prepares behind it all the same gets no wrong row, and soon no error either", async () => {
  const pools = [1, 2].map(() => new pg.Pool({ connectionString: pooler?.url as string, max: 6 }));
  try {
    const { wrong, failed } = await read(pools, { prepare: true }, many);
    expect(wrong).toBe(0);
    // Of each pool the transactions that were under way when the first such error came.
    expect([...failed.keys()].filter((code) => code !== "PREPARED_OUTDATED")).toEqual([]);
    expect([...failed.values()].reduce((a, b) => a + b, 0)).toBeLessThanOrEqual(2 * 6);
    const later = await read(pools, { prepare: true }, 400);
    expect({ ...later, failed: [...later.failed] }).toMatchObject({ wrong: 0, failed: [] });
  } finally {
    await Promise.all(pools.map((pool) => pool.end()));
  }
});

test.runIf(inject("engines").includes("postgres"))("rows of another statement of one name are refused", async () => {
  const engine = all().find(({ name }) => name === "postgres") as Engine;
  const pool = new pg.Pool({ connectionString: engine.url as string, max: 1 });
  const db = database(postgres(pool));
  try {
    for (let i = 0; i < 3; i++) await db.list(sql.rows({ id: integer })`select 1 as id`);
    const [{ name }] = (await pool.query("select name from pg_prepared_statements where name like 'gemach%'")).rows as [{ name: string }];
    expect(name).toBe(`gemach_${createHash("sha256").update("select 1 as id").digest("hex").slice(0, 40)}`);
    await pool.query(`deallocate ${name}; prepare ${name} as select 'another''s' as secret`);
    await expect(db.list(sql.rows({ id: integer })`select 1 as id`)).rejects.toMatchObject({ code: "ANSWER_FOREIGN" });
    expect(await db.list(sql.rows({ id: integer })`select 1 as id`)).toEqual([{ id: 1 }]);
  } finally {
    await pool.end();
  }
});

test("the names of prepared statements are SHA-256 of their texts", () => {
  for (const sample of ["", "a", "select 1", "é€𝒳".repeat(40), ...Array.from({ length: 130 }, (_, i) => "x".repeat(i))])
    expect(sha256(sample)).toBe(createHash("sha256").update(sample).digest("hex"));
});

test.runIf(inject("engines").includes("postgres"))(
  "a table that changes under a prepared statement fails a transaction once, and retries cover it",
  async () => {
    const engine = all().find(({ name }) => name === "postgres") as Engine;
    const pool = new pg.Pool({ connectionString: engine.url as string, max: 1 });
    const changing = model({ Changing: entity("po_changing", { id: identity, tag: text }) });
    const { Changing } = changing;
    const db = database(postgres(pool));
    try {
      await createTables(db, changing);
      await db.insert(Changing, [{ tag: "1" }]);
      const list = from(Changing);
      for (let i = 0; i < 3; i++) await db.list(list);
      const change = async (type: string) => void (await pool.query(`alter table po_changing alter tag type ${type}`));
      await change("varchar(40)");
      await expect(db.transaction((tx) => tx.list(list))).rejects.toMatchObject({ code: "PREPARED_OUTDATED" });
      expect(await db.transaction((tx) => tx.list(list))).toEqual([{ id: 1, tag: "1" }]);
      for (let i = 0; i < 3; i++) await db.list(list);
      await change("text");
      expect(await db.transaction((tx) => tx.list(list), { retries: 1 })).toEqual([{ id: 1, tag: "1" }]);
      for (let i = 0; i < 3; i++) await db.list(list);
      await change("varchar(50)");
      expect(await db.list(list)).toEqual([{ id: 1, tag: "1" }]);
    } finally {
      await pool.end();
    }
  },
);
