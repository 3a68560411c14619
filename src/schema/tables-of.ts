import { typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { describeTables, entitiesOf, isModel } from "../model/index.js";
import { type Dialect, layOutAll, type TableLayout } from "../sql/index.js";

/**
 * The tables of a model, as an engine is to have them: the same form in which `readTables` gives those of a database.
 * @throws GemachError `MODEL_EXPECTED`
 */
export function tablesOf(model: unknown, dialect: Dialect): readonly TableLayout[] {
  if (!isModel(model)) throw new GemachError("MODEL_EXPECTED", { call: "tablesOf", got: typeWord(model) });
  return layOutAll(describeTables(entitiesOf(model)), dialect).map(({ table }) => table);
}
