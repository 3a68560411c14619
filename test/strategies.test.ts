import fc from "fast-check";
import { describe, expect, test } from "vitest";
import { preview, type Strategy } from "../src/index.js";
import { generate } from "../tools/src/demo/index.js";
import { useSociety } from "./support/engines.js";
import { anyQuery, expected, queryOf, type Spec, shapeOf, type Test, withoutHow } from "./support/reference.js";
import { seed } from "./support/seed.js";
import { endOf, type World, worldOf } from "./support/worlds.js";

const runs = Number(process.env.GEMACH_TREES ?? 18);

/** Few rows: joins of several to-many relations side by side multiply them. */
const societies = [
  { name: "some of each", depots: 5, perDepot: { items: 3, members: 2, loans: 6 }, share: 0.6 },
  { name: "many loans of few items", depots: 2, perDepot: { items: 1, members: 3, loans: 12 }, share: 0.25 },
  { name: "hardly anything", depots: 1, perDepot: { items: 1, members: 1, loans: 1 }, share: 0.15 },
];
// biome-ignore lint/suspicious/noExplicitAny: random queries are put together without types
type Untyped = any;
/** Text that differs where key order, null against undefined, or any value does. */
const exact = (rows: unknown): string => JSON.stringify(rows, (_, value) => (value === undefined ? "undefined!" : value));

/** The same condition with values of other rows: a query of the same shape. */
function withOtherValues(world: World, entity: string, test: Test | undefined, n: number): Test | undefined {
  if (test === undefined) return undefined;
  const inner = (part: Test, of = entity) => withOtherValues(world, of, part, n) as Test;
  if ("all" in test) return { all: test.all.map((part) => inner(part)) };
  if ("any" in test) return { any: test.any.map((part) => inner(part)) };
  if ("not" in test) return { not: inner(test.not) };
  if ("along" in test) return { ...test, test: inner(test.test, endOf(world, entity, test.along)[1]) };
  if ("oneOf" in test || test.value === null) return test;
  const rows = (world.rows[entity] ?? []).filter((row) => row[test.column] != null);
  return rows.length === 0 ? test : { ...test, value: rows[(n * 7) % rows.length]?.[test.column] };
}

/** The same rows, fetched first and completed afterwards. */
async function inMemory(world: World, db: Untyped, entity: string, spec: Spec, rows: string): Promise<void> {
  if (spec.columns !== undefined) return;
  const plain = await db.list(queryOf(world, entity, { ...spec, reach: {} }));
  expect(exact(await db.reach(plain, (world.model as Untyped)[entity], shapeOf(world, entity, spec.reach))), "in memory").toBe(rows);
}

describe.each(societies)("a society with $name", ({ depots, perDepot, share }) => {
  const society = generate(depots, seed, perDepot);
  const all = useSociety(society);
  const world = worldOf(society);
  const numRuns = Math.ceil(runs * share);
  test(`${numRuns} random queries give the rows of a plain evaluation, on every engine and by every strategy (rows of seed ${seed})`, async () => {
    const databases = all().flatMap((engine) =>
      (["auto", "join", "batch", "nest"] as const).map((how: Strategy) => ({
        label: `${engine.name} by ${how}`,
        how,
        db: engine.connect({ how }),
      })),
    );
    await fc.assert(
      fc.asyncProperty(anyQuery(world), async ({ entity, spec }) => {
        const rows = exact(expected(world, entity, spec));
        const plain = queryOf(world, entity, withoutHow(spec));
        for (const { label, how, db } of databases) {
          const found = exact(await db.list(plain));
          if (found !== rows)
            throw new Error(
              `${label} gave ${found}, not ${rows}: ${preview(plain, { dialect: db.dialect, how })
                .map(({ text }) => text)
                .join("; ")}`,
            );
        }
        for (const engine of all()) {
          const db = engine.connect({ generateCode: false });
          const mixed = queryOf(world, entity, spec);
          expect(exact(await db.list(mixed)), `${engine.name}, strategies mixed`).toBe(rows);
          expect(await db.count(mixed), `${engine.name}, count`).toBe(JSON.parse(rows).length);
          expect(await db.exists(mixed), `${engine.name}, exists`).toBe(rows !== "[]");
          await inMemory(world, engine.connect({ snapshot: true }), entity, spec, rows);
          const usual = engine.connect();
          for (const n of [0, 1, 2]) {
            const other = { ...withoutHow(spec), where: n === 0 ? spec.where : withOtherValues(world, entity, spec.where, n) };
            const wanted = exact(expected(world, entity, other));
            expect(exact(await usual.list(queryOf(world, entity, other))), `${engine.name}, other values`).toBe(wanted);
            expect(await usual.count(queryOf(world, entity, other)), `${engine.name}, count of other values`).toBe(JSON.parse(wanted).length);
          }
        }
      }),
      { numRuns, includeErrorInReport: true },
    );
  }, 3_600_000);
});
