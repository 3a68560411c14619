import type { ResolvedColumn, ResolvedEntity, Step } from "../model/index.js";
import type { Dialect } from "../sql/index.js";

/** Foreign keys stand where the key's columns are: at the entity that holds it. */
export const foreignKeysOf = (entity: ResolvedEntity): readonly Step[] =>
  [...entity.relations.values()].flatMap(({ steps }) =>
    steps.length === 1 && steps[0].holder === "source" && steps[0].isBacked ? [steps[0]] : [],
  );

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

/** The statement that creates an entity's table where there is none. */
export function tableText(entity: ResolvedEntity, dialect: Dialect): string {
  const { quote } = dialect;
  const list = (columns: readonly ResolvedColumn[]) => columns.map((column) => quote(column.name)).join(", ");
  const isInline = entity.key.length === 1 && entity.key[0]?.kind === "identity";
  const lines = [
    ...[...entity.columns.values()].map((column) => columnText(entity, column, dialect)),
    ...(isInline ? [] : [`primary key (${list(entity.key)})`]),
    ...foreignKeysOf(entity).map(
      ({ pairs, target }) =>
        `foreign key (${list(pairs.map((pair) => pair.from))}) references ${quote(target.table)} (${list(pairs.map((pair) => pair.to))})`,
    ),
  ];
  return `create table if not exists ${quote(entity.table)} (\n  ${lines.join(",\n  ")}\n)${dialect.tableSettings}`;
}

/**
 * The statements that create an index for each foreign key which the primary key does not begin
 * with: without one, every step from an owner to its rows, and every deletion of an owner, reads the
 * whole table.
 */
export function indexTexts(entity: ResolvedEntity, { quote }: Dialect): readonly string[] {
  const wanted = new Map<string, readonly ResolvedColumn[]>();
  for (const { pairs } of foreignKeysOf(entity)) {
    const columns = pairs.map((pair) => pair.from);
    const isPrefixOfKey = columns.every((column, i) => entity.key[i] === column);
    if (!isPrefixOfKey) wanted.set([entity.table, ...columns.map((column) => column.name)].join("_"), columns);
  }
  return [...wanted].map(
    ([name, columns]) =>
      `create index if not exists ${quote(name)} on ${quote(entity.table)} (${columns.map((column) => quote(column.name)).join(", ")})`,
  );
}
