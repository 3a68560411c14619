import { readFileSync } from "node:fs";
import { expect } from "vitest";
import {
  bigint,
  boolean,
  type Column,
  character,
  choice,
  coalesce,
  entity,
  epoch,
  from,
  integer,
  isoTimestamp,
  json,
  list,
  localTimestamp,
  model,
  numeric,
  type Strategy,
  text,
  timestamp,
  toMany,
  toOne,
} from "../src/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

// The tables of test/engines: laid out as each engine's own habits have it, by hands that knew nothing of this library.
const { all } = useEngines();
const strategies: readonly Strategy[] = ["auto", "join", "batch", "nest"];

const states = choice("waiting", "on bench", "done").defaulted;
const engineOf = (name: string) => (name === "pglite" ? "postgres" : name === "node-sqlite" ? "sqlite" : name);

/** The columns that all of the layouts have, as each of them stores them. */
const shared = {
  postgres: { code: character(6), state: states.storedAs({ postgres: 'shop."repair state"' }), price: integer },
  mariadb: { code: character(6), state: states, price: bigint.as({ decode: Number, encode: (price: number) => BigInt(price) }) },
  sqlite: { code: text, state: states, price: integer },
};

/** Those that only one of them has, and what its first row holds in them. */
const own: Readonly<Record<string, Readonly<Record<string, readonly [Column, unknown]>>>> = {
  postgres: {
    due: [timestamp, new Date("2026-05-01T08:30:00.123Z")],
    took: [text.storedAs({ postgres: "interval" }), "1 day 02:00:00"],
    host: [text.storedAs({ postgres: "inet" }), "10.0.0.1"],
    note: [json().storedAs({ postgres: "json" }), { b: 1, a: 2 }],
    marks: [list(integer), [1, 2]],
    grid: [
      list(list(text.nullable)),
      [
        ["a", null],
        ["b,c", "d"],
      ],
    ],
    at: [text.storedAs({ postgres: "point" }), "(1,2)"],
    double_price: [bigint.computed, 200n],
  },
  mariadb: {
    due: [isoTimestamp, "2026-05-01T08:30:00.123456Z"],
    built: [integer, 1999],
    urgent: [boolean.storedAs({ mariadb: { type: "bit(1)", read: "? + 0" } }), true],
    tags: [text, "loud,heavy"],
    at: [text.storedAs({ mariadb: { type: "point", read: "st_astext(?)", write: "st_geomfromtext(?)" } }), "POINT(1 2)"],
    serial: [numeric(20, 0), "18446744073709551615"],
    double_price: [bigint.computed, 200n],
  },
  sqlite: {
    due: [epoch("seconds"), new Date("2026-05-01T08:30:00Z")],
    due_ms: [epoch("milliseconds"), new Date("2026-05-01T08:30:00.123Z")],
    double_price: [integer.computed, 200],
  },
};

function shopOf(name: string) {
  const engine = engineOf(name) as keyof typeof shared;
  const { code, ...others } = shared[engine] as (typeof shared)["postgres"];
  const schema = engine === "postgres" ? { schema: "shop" } : {};
  const further = Object.fromEntries(Object.entries(own[engine] ?? {}).map(([column, [type]]) => [column, type.nullable]));
  return model({
    Repair: entity(
      "repair",
      { code: code.key, ...others, owner: text, came: localTimestamp.defaulted, ...(further as Record<never, never>) },
      { steps: toMany("Step", { by: "repair_code" }) },
      schema,
    ),
    Step: entity("step", { repair_code: code.key, number: integer.key, done: boolean.nullable }, { repair: toOne("Repair", { by: "repair_code" }) }, schema),
  });
}

const layout = (engine: string) =>
  readFileSync(new URL(`engines/${engine}.sql`, import.meta.url), "utf8")
    .split(/;\s*\n/)
    .filter((text) => /\w/.test(text.replace(/^--.*$/gm, "")));

eachEngine(all, "a layout of the engine's own habits is read, asked and written as it is", async (db, engine) => {
  const name = engineOf(engine.name);
  for (const statement of layout(name)) await engine.execute(statement);
  const { Repair, Step } = shopOf(engine.name);
  const known = Object.entries(own[name] ?? {});
  const first = {
    code: "AB",
    state: "on bench",
    price: 100,
    owner: "Ada",
    came: "2026-05-01T23:30:00.25",
    ...Object.fromEntries(known.map(([column, [, value]]) => [column, value])),
  };
  const codes = async (query: Parameters<typeof db.list>[0]) => ((await db.list(query)) as { code: string }[]).map(({ code }) => code);
  const repairs = from(Repair);
  for (const how of strategies) {
    const found = await db.list(
      repairs
        .how(how)
        .orderBy((r) => r.came.asc)
        .reach({ steps: true }),
    );
    expect(found[0], how).toEqual({
      ...first,
      steps: [
        { repair_code: "AB", number: 1, done: true },
        { repair_code: "AB", number: 2, done: false },
      ],
    });
    expect(found.map(({ code, steps }) => [code, steps.length])).toEqual([
      ["AB", 2],
      ["CD1", 1],
    ]);
    const steps = await db.list(
      from(Step)
        .how(how)
        .where((s) => s.repair.state.is("on bench"))
        .reach({ repair: true }),
    );
    expect(steps.map(({ repair }) => repair)).toEqual([first, first]);
    const named = (row: unknown) => Object.fromEntries(Object.keys(first).map((column) => [column, (row as Record<string, unknown>)[column]]));
    const nested = await db.list(
      from(Repair)
        .how(how)
        .select((r) => ({ steps: r.steps.select((s) => named(s.repair) as never) })),
    );
    expect(nested[0]).toEqual({ steps: [first, first] });
  }
  expect(await codes(repairs.where((r) => r.state.oneOf(["on bench", "done"])))).toEqual(["AB"]);
  expect(await codes(repairs.where((r) => r.state.startsWith("wait")))).toEqual(["CD1"]);
  expect(await codes(repairs.where((r) => r.code.oneOf(["AB", "CD"])))).toEqual(["AB"]);
  expect(await codes(repairs.where((r) => r.owner.isNot(r.state)))).toHaveLength(2);
  expect(await codes(repairs.where((r) => coalesce(r.owner, r.state).isNot("ADA")))).toHaveLength(name === "mariadb" ? 0 : 1);
  expect(await codes(repairs.where((r) => r.came.above("2026-05-01T23:30:00.2")).where((r) => r.came.hour().is(23)))).toEqual(["AB"]);
  expect(await codes(repairs.where((r) => r.came.toDay().oneOf(["2026-11-29"])))).toEqual(["CD1"]);
  expect(await codes(repairs.where((r) => r.owner.ignoringCase().startsWith("aD")))).toEqual(["AB", "CD1"]);
  // What a column's character set does not have: it is in no row; MariaDB refuses the question.
  const asked = codes(repairs.where((r) => r.owner.is("😀")));
  if (name === "mariadb") await expect(asked).rejects.toMatchObject({ code: "TEXTS_UNLIKE" });
  else expect(await asked).toEqual([]);
  const groups = repairs.groupBy((r) => r.state).select((group) => ({ state: group.key, last: group.max((r) => r.came), all: group.count() }));
  expect(await db.list(groups)).toContainEqual({ state: "waiting", last: "2026-11-29T02:30:00", all: 1 });

  // Written: new rows, one of them with the table's own defaults; a change; the same key again.
  const { double_price: _, ...given } = first as typeof first & { double_price: unknown };
  await db.insert(Repair, [
    { ...given, code: "EF" },
    { code: "GH", price: 5, owner: "Bo" },
  ] as never[]);
  const written = await db.list(repairs.where((r) => r.code.oneOf(["EF", "GH"])).orderBy((r) => r.code.asc));
  expect(written[0]).toEqual({ ...first, code: "EF" });
  expect(written[1]).toMatchObject({ code: "GH", state: "waiting", came: "2026-05-01T08:30:00" });
  expect(
    await db.update(
      repairs.where((r) => r.state.is("waiting")),
      { state: "done", came: "2026-06-01T00:00:00" },
    ),
  ).toBe(2);
  await db.upsert(Repair, [{ code: "GH", state: "on bench", price: 6, owner: "Bo", came: "2026-07-01T00:00:00" } as never]);
  const refusal = await db.insert(Repair, [{ ...given, code: "XY", owner: "secret 😀" }] as never[]).then(
    () => undefined,
    (error) => error as Error,
  );
  if (name === "mariadb") expect(refusal?.message).not.toMatch(/secret|F0/);
  else await db.delete(repairs.byKey("XY"));
  const changed = repairs.where((r) => r.came.atLeast("2026-06-01T00:00:00")).select((r) => ({ code: r.code, state: r.state, price: r.price }));
  expect(await db.list(changed)).toEqual([
    { code: "CD1", state: "done", price: name === "mariadb" ? 4_000_000_000 : 250 },
    { code: "GH", state: "on bench", price: 6 },
  ]);
});
