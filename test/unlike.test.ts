import { expect } from "vitest";
import {
  bytes,
  createTables,
  type Database,
  date,
  double,
  entity,
  except,
  exists,
  from,
  identity,
  integer,
  intersect,
  list,
  model,
  numeric,
  type Query,
  template,
  text,
  toOne,
  union,
} from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

// Values that engines would tell apart, sort or join each in its own way: one answer, or one refusal.
const { all } = useEngines(true);
const unlike = model({
  Part: entity("unlike_part", {
    id: identity,
    price: numeric(8, 2),
    weight: double,
    exact: numeric(8, 3),
    on: date,
    code: bytes,
    sizes: list(integer),
    note: text,
  }),
});
const { Part } = unlike;
const filled = async (db: Database): Promise<void> => {
  await createTables(db, unlike);
  const row = (price: string, exact: string, weight: number, code: readonly number[]) => ({
    price,
    weight,
    exact,
    on: "2026-05-01",
    code: Uint8Array.from(code),
    sizes: [1],
    note: "x",
  });
  await db.insert(Part, [row("1.50", "1.500", 2 ** 60, [1]), row("1.50", "2.000", 2 ** 63, [0]), row("2.00", "1.500", 1e300, [1, 0])]);
};
const prices = from(Part).select((p) => ({ v: p.price }));
const exacts = from(Part).select((p) => ({ v: p.exact }));
const byId = template({ id: integer, ids: list(integer) }, (t) =>
  from(Part)
    .where((p) => p.id.is(t.id))
    .where((p) => p.id.oneOf(t.ids))
    .select((p) => p.price),
);

const answers: readonly (readonly [what: string, query: Query, rows: unknown])[] = [
  ["decimals of two scales in a union", union(prices, exacts), [{ v: "1.500" }, { v: "2.000" }]],
  ["an order of that", union(prices, exacts).orderBy((r) => r.v.desc), [{ v: "2.000" }, { v: "1.500" }]],
  ["their intersection", intersect(prices, exacts), [{ v: "1.500" }, { v: "2.000" }]],
  ["their difference", except(prices, exacts), []],
  [
    "a decimal among those of another scale",
    from(Part)
      .where((p) =>
        p.price.oneOf(
          from(Part)
            .where((o) => o.id.above(1))
            .select((o) => o.exact),
        ),
      )
      .select((p) => p.id),
    [1, 2, 3],
  ],
  [
    "a worked out order of different rows",
    from(Part)
      .orderBy((p) => p.price.plus("1").desc)
      .select((p) => ({ p: p.price.plus("1") }))
      .distinct(),
    [{ p: "3.00" }, { p: "2.50" }],
  ],
  [
    "bytes as an order",
    from(Part)
      .orderBy((p) => p.code.desc)
      .select((p) => p.id),
    [3, 1, 2],
  ],
  [
    "a template inside of another query",
    from(Part)
      .where((p) => p.price.oneOf(byId.with({ id: 3, ids: [3, 4] })))
      .select((p) => p.id),
    [3],
  ],
  [
    "whether a template has rows",
    from(Part)
      .where(() => exists(byId.with({ id: 3, ids: [1] })))
      .select((p) => p.id),
    [],
  ],
  [
    "doubles beyond the whole numbers that a number holds",
    from(Part)
      .where((p) => p.weight.oneOf([2 ** 60, 2 ** 63, 1e300]))
      .select((p) => p.id),
    [1, 2, 3],
  ],
];

eachEngine(all, "one query, one answer, where engines differ in what is alike", async (db) => {
  await filled(db);
  for (const [what, query, rows] of answers) expect(await db.list(query), what).toEqual(rows);
  // Places in an order of bytes, and in no other order than the one that they are of.
  const byCode = from(Part).orderBy((p) => p.code.asc);
  const { next } = await db.portion(byCode, 1);
  expect((await db.portion(byCode.after(next ?? ""), 2)).rows.map(({ id }) => id)).toEqual([1, 3]);
  const { next: other } = await db.portion(
    from(Part).orderBy((p) => p.id.plus(1).asc),
    1,
  );
  await expect(
    db.list(
      from(Part)
        .orderBy((p) => p.id.plus(2).asc)
        .after(other ?? ""),
    ),
  ).rejects.toMatchObject({ code: "CURSOR_UNFIT" });
  await expect(
    db.list(
      from(Part)
        .orderBy((p) => p.on.desc)
        .select((p) => ({ v: p.price }))
        .distinct(),
    ),
  ).rejects.toMatchObject({ code: "ORDER_UNFIT" });
});

const parted = model({
  Shelf: entity("parted_shelf", { hall: integer.key, place: integer.key }),
  Box: entity("parted_box", { id: integer.key, hall: integer.nullable, place: integer.nullable }, { shelf: toOne("Shelf", { by: ["hall", "place"] }) }),
});

eachEngine(all, "a key of which a part is missing leads nowhere, also where nothing but the key is asked for", async (db) => {
  await createTables(db, parted);
  const { Shelf, Box } = parted;
  await db.insert(Shelf, [{ hall: 1, place: 2 }]);
  await db.insert(Box, [
    { id: 1, hall: 1, place: 2 },
    { id: 2, hall: null, place: 2 },
  ]);
  expect(await db.list(from(Box).select((b) => ({ id: b.id, place: b.shelf.place })))).toEqual([
    { id: 1, place: 2 },
    { id: 2, place: null },
  ]);
  expect(await db.count(from(Box).where((b) => b.shelf.place.is(2)))).toBe(1);
});
