import { typeWord } from "../columns/index.js";
import type { AnyDatabase } from "../database/index.js";
import { GemachError } from "../errors/index.js";
import {
  type Definitions,
  describeTables,
  entitiesOf,
  isModel,
  type Model,
  type TableInOrder,
  tableKey,
} from "../model/index.js";
import { connectionOf, controlOrigin, type Steps } from "../run/index.js";
import { createModelText, type DialectOption, dialectIn } from "../sql/index.js";

/**
 * The tables of a model.
 * @throws GemachError `MODEL_EXPECTED`
 */
function tablesOf(model: unknown, call: string): readonly TableInOrder[] {
  if (!isModel(model)) throw new GemachError("MODEL_EXPECTED", { call, got: typeWord(model) });
  return describeTables(entitiesOf(model));
}

/**
 * The statements that `createTables` sends to an empty database, for review: a table for each entity, with
 * primary and foreign keys, and an index for each key of another entity.
 * @throws GemachError `MODEL_EXPECTED`, `DIALECT_EXPECTED`, `INDEX_UNABLE`
 */
export function createTablesSql<D extends Definitions<D>>(model: Model<D>, options: DialectOption): readonly string[] {
  const dialect = dialectIn(options, "createTablesSql");
  return createModelText(tablesOf(model, "createTablesSql"), dialect);
}

/**
 * Creates the tables of a model that are missing, with their indexes; never changes what exists.
 * @throws GemachError `MODEL_EXPECTED`, `DATABASE_EXPECTED`, `INDEX_UNABLE`, and what the database says
 */
export async function createTables<D extends Definitions<D>>(db: AnyDatabase, model: Model<D>): Promise<void> {
  const { sender, dialect } = connectionOf(db, "createTables");
  const tables = tablesOf(model, "createTables");
  const { tablesQuery, turnText } = dialect.definition;
  const steps = function* (): Steps<void> {
    if (turnText !== undefined)
      yield { text: turnText, parameters: [], origin: controlOrigin("its turn to create tables"), once: true };
    const rows = yield { text: tablesQuery, parameters: [], origin: controlOrigin("the tables that are there") };
    const existing = new Set(
      rows.map(([schema, table]) =>
        tableKey({ schema: schema === null ? undefined : String(schema), table: String(table) }),
      ),
    );
    const missing = tables.filter(({ table }) => !existing.has(tableKey(table)));
    const origin = controlOrigin("tables of the model");
    for (const text of createModelText(missing, dialect)) yield { text, parameters: [], origin, once: true };
  };
  await sender.run(steps, "always", { verb: "createTables", query: undefined, at: undefined });
}
