import { expect } from "vitest";
import { lending } from "../src/demo/index.js";
import { createTables } from "../src/index.js";
import { changeLabel, changesBetween, readTables, tablesOf } from "../src/schema/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

const { all } = useEngines();

eachEngine(all, "the demo's tables are what their model says", async (db) => {
  await createTables(db, lending);
  const found = await readTables(db);
  expect(changesBetween(found, tablesOf(lending, db.dialect), db.dialect.name).map(changeLabel)).toEqual([]);
});
