import { readTables } from "../../src/schema/index.js";
import type { Engine } from "./engines.js";

/** Leaves no table, whatever an earlier try left. */
export async function wipe(engine: Engine): Promise<void> {
  const db = engine.connect();
  const quoted = db.dialect.text.quote;
  const tables = await readTables(db);
  if (db.dialect.name === "sqlite") await engine.execute("pragma foreign_keys = off");
  else
    for (const { table, foreignKeys } of tables)
      for (const { name } of foreignKeys)
        await engine.execute(`alter table ${quoted(table)} drop ${db.dialect.name === "mariadb" ? "foreign key" : "constraint"} ${quoted(name ?? "")}`);
  for (const { table } of tables.filter(({ kind }) => kind === "table")) await engine.execute(`drop table ${quoted(table)}`);
  if (db.dialect.name === "sqlite") await engine.execute("pragma foreign_keys = on");
  await engine.execute("drop table if exists gemach_journal");
}
