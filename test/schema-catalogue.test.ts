import { expect } from "vitest";
import { lending } from "../src/demo/index.js";
import { createTables } from "../src/index.js";
import { describeTables, entitiesOf } from "../src/model/index.js";
import { changeLabel, changesBetween, readTables } from "../src/schema/life.js";
import { layOutAll } from "../src/sql/index.js";
import { eachEngine, useEngines } from "./support/engines.js";

const { all } = useEngines();

const wantedOf = (model: object, dialect: Parameters<typeof layOutAll>[1]) =>
  layOutAll(describeTables(entitiesOf(model as never)), dialect).map(({ table }) => table);

eachEngine(all, "the demo's tables are what their model says", async (db) => {
  await createTables(db, lending);
  const found = await readTables(db);
  expect(changesBetween(found, wantedOf(lending, db.dialect), db.dialect.name).map(changeLabel)).toEqual([]);
});
