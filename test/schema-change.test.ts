import fc from "fast-check";
import { expect, test } from "vitest";
import { from } from "../src/index.js";
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
): Promise<readonly Migration[]> {
  const db = engine.connect();
  const draft = draftBetween(await readTables(db), tablesOf(model, db.dialect), { tables: {}, columns }, db.dialect);
  const steps = isOnline && db.dialect.name !== "sqlite" ? onlineSteps(draft.way, db.dialect) : [draft];
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

test("tables of a random model are brought along to another one, and back", async () => {
  await fc.assert(
    fc.asyncProperty(pairs, async (pair) => {
      for (const engine of all()) await check(engine, pair);
    }),
    { numRuns: runs, seed, endOnFailure: process.env.GEMACH_SHRINK === undefined },
  );
}, 600_000);
