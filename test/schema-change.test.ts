import fc from "fast-check";
import { expect, test } from "vitest";
import { entity, from, identity, integer, model, toOne } from "../src/index.js";
import {
  adoptTables,
  applyMigrations,
  changeLabel,
  changesBetween,
  draftBetween,
  evidenceIn,
  type Migration,
  migrationText,
  onlineSteps,
  readTables,
  startText,
  tablesOf,
  undoText,
} from "../src/schema/index.js";
import { type Engine, useEngines } from "./support/engines.js";
import { canGoOn, modelOf, type Pair, pairs, renamedSpec, rowsOf, sameColumns } from "./support/random-layouts.js";
import { seed } from "./support/seed.js";
import { wipe } from "./support/wipe.js";

const { all } = useEngines();
const runs = Number(process.env.GEMACH_LAYOUTS ?? (process.env.CI === "true" ? 300 : 5));
// biome-ignore lint/suspicious/noExplicitAny: random models are put together without types
type Untyped = any;

const pathOf = (names: readonly string[]) => names.join(";\n");

/** What a model asks for that is not there. */
async function leftOf(engine: Engine, model: object): Promise<readonly string[]> {
  const db = engine.connect();
  return changesBetween(await readTables(db), tablesOf(model, db.dialect), db.dialect.name).map(changeLabel);
}

/** Migrations that are drafted and applied: one, or the steps that keep nobody waiting. */
async function bring(
  engine: Engine,
  model: object,
  before: readonly Migration[],
  columns: Pair["renames"] = {},
  isOnline = false,
  tables: Readonly<Record<string, string>> = {},
): Promise<readonly Migration[]> {
  const db = engine.connect();
  const draft = draftBetween(await readTables(db), tablesOf(model, db.dialect), { tables, columns }, db.dialect);
  const steps = isOnline && db.dialect.name !== "sqlite" ? onlineSteps(draft.transition, db.dialect) : [draft];
  const migrations = steps.map((step, i) => {
    const [number, name] = [before.length + i + 1, `step-${before.length + i + 1}`];
    return { number, name, content: migrationText(step, name, db.dialect), undo: undoText(step, name, db.dialect) };
  });
  await applyMigrations(db, [...before, ...migrations]);
  const left = await leftOf(engine, model);
  const texts = migrations.map(({ content }) => content).join("\n");
  if (left.length > 0) throw new Error(`${engine.name} still differs:\n${pathOf(left)}\nafter\n${texts}`);
  return migrations;
}

async function check(engine: Engine, { before, after, renames, isOnline }: Pair): Promise<void> {
  const [first, second] = [modelOf(before), modelOf(after)];
  const db = engine.connect();
  await wipe(engine);
  const begin = await bring(engine, first, []);
  // What goes on, there and back.
  const known = Object.entries(before).map(([name, table]) => [name, table, renamedSpec(name, table, renames)] as const);
  const kept = known.filter(([name, , table]) => after[name] === undefined || canGoOn(table, after[name]));
  for (const [name, table] of kept) await db.insert(first[name], rowsOf(table) as Untyped);
  const steps = await bring(engine, second, begin, renames, isOnline);
  for (const [name, , table] of kept) {
    const now = after[name];
    if (now === undefined) continue;
    const columns = sameColumns(table, now);
    const rows = await db.list(from(second[name]).columns(...columns));
    expect(rows, `${engine.name}, ${name}`).toEqual(rowsOf(table).map((row) => Object.fromEntries(columns.map((column) => [column, row[column]]))));
    if (!canGoOn(now, table)) await db.delete(from(second[name]), { all: true });
  }
  // A model that is made of these tables differs in nothing from them, and reads their rows.
  const found = await readTables(db);
  const { model: adopted, source } = adoptTables(found, db.dialect, { evidence: await evidenceIn(db, found) });
  const unlike = changesBetween(found, tablesOf(adopted, db.dialect), db.dialect.name).map(changeLabel);
  if (unlike.length > 0) throw new Error(`${engine.name}, adopted, differs:\n${pathOf(unlike)}\n${source}`);
  for (const entity of Object.values(adopted)) await db.list(from(entity as Untyped));
  await applyMigrations(db, [...begin, ...steps], { undo: true, to: "step-1" });
  const left = await leftOf(engine, first);
  if (left.length > 0) throw new Error(`${engine.name} differs when undone:\n${pathOf(left)}\nafter\n${steps.map(({ undo }) => undo).join("\n")}`);
  // What says what was there makes the same of nothing.
  await wipe(engine);
  const start = { number: 1, name: "start", content: startText(found, db.dialect) };
  await applyMigrations(db, [start]);
  const anew = changesBetween(await readTables(db), found, db.dialect.name).map(changeLabel);
  if (anew.length > 0) throw new Error(`${engine.name}, begun anew, differs:\n${pathOf(anew)}\n${start.content}`);
}

test("a new table that waits for another one keeps what leads to it waiting", async () => {
  const before = model({ Shelf: entity("shelf", { id: identity }) });
  const after = model({
    Shelf: entity("rack", { id: identity, boxId: integer.nullable }, { box: toOne("Box", { by: "boxId" }) }),
    Box: entity("box", { id: identity, shelfId: integer }, { shelf: toOne("Shelf", { by: "shelfId" }) }),
    Lid: entity("lid", { id: identity, boxId: integer }, { box: toOne("Box", { by: "boxId" }) }),
  });
  for (const engine of all()) {
    await wipe(engine);
    const db = engine.connect();
    const begin = await bring(engine, before, []);
    const steps = await bring(engine, after, begin, {}, true, { shelf: "rack" });
    await applyMigrations(db, [...begin, ...steps], { undo: true, to: "step-1" });
    expect(await leftOf(engine, before), engine.name).toEqual([]);
  }
});

const plain = {
  isIdentity: true,
  columns: { due: { kind: "integer", isNullable: false, hasDefault: false } },
  rules: [],
  computed: undefined,
  indexes: [],
  ups: [],
} as const;
const dueOnce = { on: ["due"], isUnique: true, isDescending: false, isPartial: false } as const;

/** Pairs that a long run found, and a short one seldom makes. */
const found: readonly Pair[] = [
  {
    // A new table and an old one lead to each other, where the old one's key is of an index that comes late.
    before: { item: plain },
    after: {
      item: { ...plain, indexes: [dueOnce], ups: [{ to: "order", onDelete: "cascade" }] },
      order: { ...plain, ups: [{ to: "item", onDelete: "cascade" }] },
    },
    renames: {},
    isOnline: true,
  },
  {
    // Two indexes that are alike, of a column that is made anew.
    before: { item: { ...plain, indexes: [dueOnce, dueOnce] } },
    after: { item: { ...plain, columns: { due: { kind: "boolean", isNullable: false, hasDefault: true } }, indexes: [dueOnce, dueOnce] } },
    renames: {},
    isOnline: false,
  },
];

test(
  "tables of a random model are brought along to another one, and back",
  async () => {
    await fc.assert(
      fc.asyncProperty(pairs, async (pair) => {
        for (const engine of all()) await check(engine, pair);
      }),
      { numRuns: runs + found.length, examples: found.map((pair) => [pair]), seed, endOnFailure: process.env.GEMACH_SHRINK === undefined },
    );
  },
  Math.max(600_000, runs * 10_000),
);
