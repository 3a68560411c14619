import { GemachError } from "../errors/index.js";
import type { ResolvedEntity, Step } from "../expression/index.js";
import { type Definitions, entitiesOf, isModel, type Model } from "../model/index.js";
import { connectionOf, type Database, type Steps } from "../run/index.js";
import { type Dialect, type DialectName, dialectOf, qualifiedTable } from "../sql/index.js";
import { addForeignKeyText, foreignKeysOf, indexTexts, tableText } from "./table-text.js";

/** An entity's place in the order of creation, and the foreign keys that must wait for tables created after it. */
interface Creation {
  readonly entity: ResolvedEntity;
  readonly waiting: readonly Step[];
}

/** The entities, each after those that its foreign keys refer to, as far as they go in no circle. */
function inOrder(entities: readonly ResolvedEntity[]): readonly Creation[] {
  const created: Creation[] = [];
  const open = new Set<ResolvedEntity>();
  const visit = (entity: ResolvedEntity): void => {
    if (open.has(entity) || created.some((done) => done.entity === entity)) return;
    open.add(entity);
    const others = foreignKeysOf(entity).filter(({ target }) => target !== entity);
    for (const { target } of others) visit(target);
    open.delete(entity);
    created.push({ entity, waiting: others.filter(({ target }) => !created.some((done) => done.entity === target)) });
  };
  for (const entity of entities) visit(entity);
  return created;
}

/** The statements that create the tables of a model that are not among the existing ones. */
function textsFor(model: unknown, dialect: Dialect, existing: ReadonlySet<string>): readonly string[] {
  if (!isModel(model)) throw new GemachError("MODEL_EXPECTED", {});
  const missing = inOrder(entitiesOf(model)).filter(
    ({ entity }) => !entity.isReadOnly && !existing.has(qualifiedTable(entity, dialect)),
  );
  const waits = (step: Step, waiting: readonly Step[]) => dialect.addsForeignKeys && waiting.includes(step);
  const schemas = new Set(missing.flatMap(({ entity: { schema } }) => (dialect.createsSchemas ? (schema ?? []) : [])));
  return [
    ...[...schemas].map((schema) => `create schema if not exists ${dialect.quote(schema)}`),
    ...missing.flatMap(({ entity, waiting }) => [
      tableText(
        entity,
        foreignKeysOf(entity).filter((step) => !waits(step, waiting)),
        dialect,
      ),
      ...indexTexts(entity, dialect),
    ]),
    ...missing.flatMap(({ entity, waiting }) =>
      waiting.filter((step) => waits(step, waiting)).map((step) => addForeignKeyText(entity, step, dialect)),
    ),
  ];
}

/**
 * The statements that `layOut` sends to an empty database, for review: a table for each entity, with
 * primary and foreign keys, and an index for each key of another entity.
 */
export function layOutText<D extends Definitions>(model: Model<D>, dialect: DialectName): readonly string[] {
  return textsFor(model, dialectOf(dialect), new Set());
}

/** Creates the tables of a model that are missing, with their indexes; never changes what exists. */
export async function layOut<D extends Definitions>(db: Database, model: Model<D>): Promise<void> {
  const connection = connectionOf(db);
  const { dialect } = connection;
  const steps = function* (): Steps<void> {
    const rows = yield { text: dialect.tablesQuery, parameters: [] };
    const existing = new Set(
      rows.map(([schema, table]) => {
        const name = schema === null || schema === undefined ? undefined : String(schema);
        return qualifiedTable({ schema: name, table: String(table) }, dialect);
      }),
    );
    for (const text of textsFor(model, dialect, existing)) yield { text, parameters: [], once: true };
  };
  await connection.run(steps, { at: undefined, together: "always" });
}
