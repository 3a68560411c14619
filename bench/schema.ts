import Table from "cli-table3";
import {
  createTables,
  type Database,
  date,
  entity,
  identity,
  integer,
  model,
  text,
  toOne,
  varchar,
  withLedger,
} from "../src/index.js";
import { changesBetween, draftBetween, readTables, tablesOf } from "../src/schema/index.js";
import type { Bench } from "./engines.js";
import { median, milliseconds, noting } from "./figures.js";

const count = 300;

// biome-ignore lint/suspicious/noExplicitAny: a model of so many entities is put together without types
type Untyped = any;

/**
 * 300 tables of ten columns, a key to the one before, indexes and a rule; `changes`: so many of them have another
 * column.
 */
export function manyTables(changes = 0): object {
  const definitions: Record<string, Untyped> = {};
  for (let i = 0; i < count; i++) {
    const further = i < changes ? { added: text.nullable } : {};
    definitions[`Table${i}`] = (entity as Untyped)(
      `table_${i}`,
      {
        ...{ id: identity, name: varchar(60), note: text.nullable, due: date, quantity: integer.defaultsTo(1) },
        ...{
          a: integer,
          b: integer.nullable,
          c: text.defaultsTo("x"),
          d: date.nullable,
          before: integer.nullable,
          ...further,
        },
      },
      i === 0 ? {} : { previous: toOne(`Table${i - 1}`, { by: "before" }) },
      { indexes: [{ on: ["name", "due desc"] }], checks: (row: Untyped) => ({ some: row.quantity.above(0) }) },
    );
  }
  return model(definitions as Untyped);
}

/** Creates them. */
export const withManyTables = (db: Database): Promise<void> => createTables(db, manyTables() as Untyped);

/** Figures of comparing and drafting, for each engine that is open on such tables. */
export async function schemaFigures(benches: readonly Bench[], rounds: number): Promise<string> {
  const table = new Table({
    head: [`${count} tables`, "bound", ...benches.map(({ name }) => name)],
    style: { head: [], border: [] },
  });
  const [same, other] = [manyTables(), manyTables(50)];
  const compared: string[] = [];
  const drafted: string[] = [];
  const statements: string[] = [];
  for (const { name, db, hand } of benches) {
    const { statements: sent } = await withLedger(db, "catalogue", () => readTables(db));
    statements.push(String(sent.length));
    const ratios: number[] = [];
    const drafts: number[] = [];
    for (let round = 0; round < rounds; round++) {
      const ours: number[] = [];
      const byHand: number[] = [];
      for (const end = performance.now() + 500; performance.now() < end || ours.length < 2; ) {
        ours.push(
          await milliseconds(async () =>
            changesBetween(await readTables(db), tablesOf(same, db.dialect), db.dialect.name),
          ),
        );
        byHand.push(
          await milliseconds(async () => {
            for (const [i, { text: one }] of sent.entries()) await hand.send(`catalogue_${i}`, one, []);
          }),
        );
      }
      ratios.push(median(ours) / median(byHand));
      const found = await readTables(db);
      drafts.push(
        await milliseconds(async () =>
          draftBetween(found, tablesOf(other, db.dialect), { tables: {}, columns: {} }, db.dialect),
        ),
      );
    }
    compared.push(noting("comparing a model with its database", name, ratios));
    drafted.push(`${median(drafts).toFixed(0)} ms`);
  }
  table.push(["comparing the model with its database, by the catalogue's statements alone", "1.5", ...compared]);
  table.push(["statements to the catalogue", "12", ...statements]);
  table.push(["drafting 50 changes, the catalogue read before", "1,000 ms", ...drafted]);
  return String(table);
}
