import { GemachError } from "../errors/index.js";
import { type Definitions, entitiesOf, isModel, type Model, type ResolvedEntity } from "../model/index.js";
import { connectionOf, type Database, type Steps } from "../run/index.js";
import { type Dialect, type DialectName, dialectOf } from "../sql/index.js";
import { foreignKeysOf, indexTexts, tableText } from "./table-text.js";

/**
 * The entities, each after those that its foreign keys refer to; a table may refer to itself.
 * @throws GemachError `LAYOUT_CYCLE`
 */
function inOrder(entities: readonly ResolvedEntity[]): readonly ResolvedEntity[] {
  const ordered: ResolvedEntity[] = [];
  const open: ResolvedEntity[] = [];
  const visit = (entity: ResolvedEntity): void => {
    if (ordered.includes(entity)) return;
    if (open.includes(entity))
      throw new GemachError("LAYOUT_CYCLE", { tables: [...open, entity].map(({ table }) => table) });
    open.push(entity);
    for (const { target } of foreignKeysOf(entity)) if (target !== entity) visit(target);
    open.pop();
    ordered.push(entity);
  };
  for (const entity of entities) visit(entity);
  return ordered;
}

function textsFor(model: unknown, dialect: Dialect): readonly string[] {
  if (!isModel(model)) throw new GemachError("MODEL_EXPECTED", {});
  return inOrder(entitiesOf(model)).flatMap((entity) => [tableText(entity, dialect), ...indexTexts(entity, dialect)]);
}

/**
 * The statements that `layOut` sends, for review: a table for each entity where there is none, with
 * primary and foreign keys, and an index for each foreign key.
 */
export function layOutText<D extends Definitions>(model: Model<D>, dialect: DialectName): readonly string[] {
  return textsFor(model, dialectOf(dialect));
}

/** Creates the tables and indexes of a model that are missing; never changes what exists. */
export async function layOut<D extends Definitions>(db: Database, model: Model<D>): Promise<void> {
  const connection = connectionOf(db);
  const texts = textsFor(model, connection.dialect);
  const steps = function* (): Steps<void> {
    for (const text of texts) yield { text, parameters: [], once: true };
  };
  await connection.run(steps, { at: undefined, together: "always" });
}
