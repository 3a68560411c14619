import type { ResolvedColumn, ResolvedEntity, Step } from "../model/index.js";
import type { Dialect } from "../sql/index.js";

/** Foreign keys stand where the key's columns are: at the entity that holds it. */
export const foreignKeysOf = (entity: ResolvedEntity): readonly Step[] =>
  [...entity.relations.values()].flatMap(({ steps }) =>
    steps.length === 1 && steps[0].holder === "source" && steps[0].isBacked ? [steps[0]] : [],
  );

const listed = (columns: readonly ResolvedColumn[], { quote }: Dialect): string =>
  columns.map((column) => quote(column.name)).join(", ");

function columnText(entity: ResolvedEntity, column: ResolvedColumn, dialect: Dialect): string {
  const name = dialect.quote(column.name);
  if (column.kind === "identity" && entity.key.length === 1) return `${name} ${dialect.identity}`;
  const isForeignKey = foreignKeysOf(entity).some(({ pairs }) => pairs.some(({ from }) => from === column));
  const check = dialect.columnCheck(column, name);
  return [
    `${name} ${dialect.columnType(column.type, column.isKey || column.isUnique || isForeignKey)}`,
    column.isNullable ? "" : " not null",
    column.defaultValue === undefined ? "" : ` default ${dialect.literal(column.defaultValue, column.type)}`,
    column.isUnique ? " unique" : "",
    check === undefined ? "" : ` check (${check})`,
  ].join("");
}

function foreignKeyText({ pairs, target }: Step, dialect: Dialect): string {
  const [from, to] = [pairs.map((pair) => pair.from), pairs.map((pair) => pair.to)];
  return `foreign key (${listed(from, dialect)}) references ${dialect.quote(target.table)} (${listed(to, dialect)})`;
}

/** The statement that creates an entity's table where there is none, with the foreign keys given. */
export function tableText(entity: ResolvedEntity, foreignKeys: readonly Step[], dialect: Dialect): string {
  const isInline = entity.key.length === 1 && entity.key[0]?.kind === "identity";
  const lines = [
    ...[...entity.columns.values()].map((column) => columnText(entity, column, dialect)),
    ...(isInline ? [] : [`primary key (${listed(entity.key, dialect)})`]),
    ...foreignKeys.map((step) => foreignKeyText(step, dialect)),
  ];
  return `create table if not exists ${dialect.quote(entity.table)} (\n  ${lines.join(",\n  ")}\n)${dialect.tableSettings}`;
}

/** The statement that adds a foreign key once both tables are there. */
export const addForeignKeyText = (entity: ResolvedEntity, step: Step, dialect: Dialect): string =>
  `alter table ${dialect.quote(entity.table)} add ${foreignKeyText(step, dialect)}`;

/**
 * The statements that create an index for each key of another entity which the primary key does not
 * begin with: without one, every step from an owner to its rows, and every deletion of an owner, reads
 * the whole table.
 */
export function indexTexts(entity: ResolvedEntity, dialect: Dialect): readonly string[] {
  const wanted = new Map<string, readonly ResolvedColumn[]>();
  for (const { steps } of entity.relations.values()) {
    const [step] = steps;
    if (steps.length > 1 || step.holder !== "source") continue;
    const columns = step.pairs.map((pair) => pair.from);
    const isPrefixOfKey = columns.every((column, i) => entity.key[i] === column);
    const isUnique = columns.length === 1 && columns[0]?.isUnique === true;
    if (!isPrefixOfKey && !isUnique)
      wanted.set([entity.table, ...columns.map((column) => column.name)].join("_"), columns);
  }
  return [...wanted].map(
    ([name, columns]) =>
      `create index if not exists ${dialect.quote(name)} on ${dialect.quote(entity.table)} (${listed(columns, dialect)})`,
  );
}
