import { execFile } from "node:child_process";
import { readFileSync } from "node:fs";
import { promisify } from "node:util";
import { expect, test } from "vitest";
import { createTables, type Database, from } from "../src/index.js";
import { adoptTables, changeLabel, changesBetween, evidenceIn, readTables, statementsOf, tablesOf } from "../src/schema/index.js";
import { qualifiedTable, type TableLayout } from "../src/sql/index.js";
import { lending } from "../tools/src/demo/index.js";
import { type Engine, eachEngine, useEngines } from "./support/engines.js";
import { wipe } from "./support/wipe.js";

const { all } = useEngines();
// biome-ignore lint/suspicious/noExplicitAny: models that are made of databases have no types here
type Untyped = any;

/** The two laws of a model that was made of a database: it differs in nothing from it, and reads each of its rows. */
async function lawsOf(db: Database, { execute }: Engine, schemas?: readonly (string | undefined)[]) {
  const tables = await readTables(db, schemas);
  const adoption = adoptTables(tables, db.dialect, { evidence: await evidenceIn(db, tables) });
  const wanted = tablesOf(adoption.model, db.dialect);
  expect(changesBetween(tables, wanted, db.dialect.name).map(changeLabel), adoption.source).toEqual([]);
  const unread: string[] = [];
  for (const [name, entity] of Object.entries(adoption.model as Record<string, Untyped>))
    await db.list(from(entity).limit(500)).catch(async (error: Error) => {
      // Views that the server itself refuses to anybody are not read.
      const layout = adoption.tables.find(({ adopted }) => adopted.entity === name)?.adopted.layout as TableLayout;
      const isReadable = await execute(`select * from ${qualifiedTable(layout, db.dialect)} limit 1`).then(
        () => true,
        () => false,
      );
      if (isReadable) unread.push(`${name}: ${error.message}`);
    });
  expect(unread, adoption.source).toEqual([]);
  return adoption;
}

eachEngine(all, "the demo's tables come back as the demo's model", async (db, engine) => {
  await createTables(db, lending);
  const adoption = await lawsOf(db, engine);
  if (process.env.GEMACH_SHOW) console.log(adoption.source, adoption.remarks);
});

eachEngine(all, "tables that others made, with types and names of their own", async (db, engine) => {
  const file = { pglite: "postgres", "node-sqlite": "sqlite" }[engine.name] ?? engine.name;
  await wipe(engine);
  const statements = readFileSync(new URL(`engines/${file}.sql`, import.meta.url), "utf8");
  for (const statement of statementsOf(statements, db.dialect.name)) await engine.execute(statement);
  const adoption = await lawsOf(db, engine, file === "postgres" ? [undefined, "shop"] : [undefined]);
  if (process.env.GEMACH_SHOW) console.log(adoption.source, adoption.remarks);
});

test("pgbench's tables, as its own command makes them", async () => {
  const engine = all().find(({ name }) => name === "postgres");
  const { url } = engine ?? {};
  if (engine === undefined || url === undefined) return;
  await wipe(engine);
  // Debian's package of the server brings it.
  const made = await promisify(execFile)("pgbench", ["-i", "-q", "--foreign-keys", url]).catch((error: NodeJS.ErrnoException) => error);
  if (made instanceof Error && made.code === "ENOENT") return;
  const { tables } = await lawsOf(engine.connect(), engine);
  const relations = tables.flatMap(({ adopted, relations }) => relations.filter(({ call }) => call === "toOne").map(({ name }) => `${adopted.entity}.${name}`));
  const wanted = ["PgbenchAccount.pgbenchBranch", "PgbenchHistory.pgbenchAccount", "PgbenchHistory.pgbenchBranch"];
  expect(relations.sort()).toEqual([...wanted, "PgbenchHistory.pgbenchTeller", "PgbenchTeller.pgbenchBranch"]);
});

eachEngine(all, "the engine's own catalogue", async (db, engine) => {
  const schemas = engine.name === "mariadb" ? ["mysql", "sys"] : db.dialect.name === "postgres" ? ["pg_catalog", "information_schema"] : [undefined];
  const adoption = await lawsOf(db, engine, schemas);
  if (process.env.GEMACH_SHOW) console.log(adoption.source, adoption.remarks);
});
