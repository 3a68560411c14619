import { expect } from "vitest";
import {
  bigint,
  coalesce,
  createTables,
  type Database,
  entity,
  firstOf,
  from,
  identity,
  integer,
  literal,
  model,
  numeric,
  text,
  varchar,
} from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

// What a column cannot hold is rounded or refused, alike on every engine, whatever works it out.
const { all } = useEngines(true);
const shop = model({
  Price: entity("ft_price", { id: identity, price: numeric(6, 2), exact: numeric(12, 5), count: integer, big: bigint, code: varchar(5), note: text }),
});
const { Price } = shop;
const row = { id: 1, price: "10.50", exact: "10.12345", count: 2_000_000_000, big: 2n ** 62n, code: "abc", note: "long note" };

async function filled(db: Database): Promise<void> {
  await createTables(db, shop);
  await db.delete(from(Price), { all: true });
  await db.insert(Price, [row]);
}
const first = from(Price).byKey(1);
type Write = readonly [what: string, write: (db: Database) => Promise<unknown>, id?: number];

/** What comes of it, of the row that was written. */
const rounded: readonly (readonly [...Write, Partial<typeof row>])[] = [
  ["a product", (db) => db.update(first, (p) => ({ price: p.price.times("1.999") })), 1, { price: "20.99" }],
  ["a column of more digits", (db) => db.update(first, (p) => ({ price: p.exact })), 1, { price: "10.12" }],
  ["half away from zero", (db) => db.update(first, (p) => ({ price: p.price.minus("10.625") })), 1, { price: "-0.13" }],
  [
    "insertFrom",
    (db) =>
      db.insertFrom(
        Price,
        first.select((p) => ({ ...others(p), count: p.count, id: literal(integer, 2), price: p.exact })),
      ),
    2,
    { price: "10.12" },
  ],
  ["an upsert", (db) => db.upsert(Price, [row], { set: (old, given) => ({ price: old.price.plus(given.exact) }) }), 1, { price: "20.62" }],
  ["what other rows tell", (db) => db.update(first, (p) => ({ price: coalesce(firstOf(from(Price).select((o) => o.exact)), p.price) })), 1, { price: "10.12" }],
];
/** The columns that stay as they are. */
const others = (p: Own) => ({ exact: p.exact, big: p.big, code: p.code, note: p.note });
type Own = Parameters<Parameters<typeof first.select>[0]>[0];

const refused: readonly Write[] = [
  ["a sum beyond 32 bits", (db) => db.update(first, (p) => ({ count: p.count.plus(p.count) }))],
  ["a sum beyond 64 bits", (db) => db.update(first, (p) => ({ big: p.big.plus(p.big) }))],
  ["a product of too many digits", (db) => db.update(first, (p) => ({ price: p.price.times("1000") }))],
  ["a text that is too long", (db) => db.update(first, (p) => ({ code: p.code.concat(p.code) }))],
  ["a column of a longer text", (db) => db.update(first, (p) => ({ code: p.note as never }))],
  [
    "insertFrom",
    (db) =>
      db.insertFrom(
        Price,
        first.select((p) => ({ ...others(p), count: p.count, id: literal(integer, 2), price: p.price.times("1000") })),
      ),
  ],
  [
    "insertFrom of a sum",
    (db) =>
      db.insertFrom(
        Price,
        first.select((p) => ({ ...others(p), id: literal(integer, 2), price: p.price, count: p.count.plus(p.count) })),
      ),
  ],
  ["an upsert", (db) => db.upsert(Price, [row], { set: (old, given) => ({ count: old.count.plus(given.count) }) })],
];

eachEngine(all, "what is worked out for a column is what the column holds", async (db) => {
  for (const [what, write, id, expected] of rounded) {
    await filled(db);
    await write(db);
    expect(await db.single(from(Price).byKey(id as number)), what).toMatchObject(expected);
  }
  await filled(db);
  // What fits goes as it is.
  await db.update(first, (p) => ({ count: p.count.minus(5), big: p.big.minus(1n), code: p.code.concat("de") }));
  expect(await db.single(first)).toMatchObject({ count: 1_999_999_995, big: 2n ** 62n - 1n, code: "abcde" });
});

eachEngine(all, "what a column cannot hold is refused, and nothing of it is written", async (db) => {
  for (const [what, write] of refused) {
    await filled(db);
    await expect(write(db), what).rejects.toMatchObject({ code: "VALUE_BEYOND_COLUMN" });
    expect(await db.list(from(Price)), what).toEqual([row]);
  }
});
