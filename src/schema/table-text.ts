import { comparedKind } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import type { OwnCondition, ResolvedColumn, ResolvedEntity, Step } from "../expression/index.js";
import { type Dialect, definitionOf, qualifiedTable } from "../sql/index.js";
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
  const isInIndex = entity.indexes.some(({ parts }) => parts.some((part) => part.column === column));
  const isForeignKey = foreignKeysOf(entity).some(({ pairs }) => pairs.some(({ from }) => from === column));
  const check = dialect.columnCheck(column, name);
  const isText = comparedKind(column.kind) === "text";
  const node = entity.computations.get(column);
  const computation = node === undefined ? undefined : definitionOf(entity, node, dialect);
  return [
    `${name} ${dialect.columnType(column.type, column.isKey || column.isUnique || isInIndex || isForeignKey)}`,
    isText ? dialect.collate(column.collations[dialect.name]) : "",
    computation === undefined ? "" : ` generated always as (${computation}) stored`,
    column.isNullable || computation !== undefined ? "" : " not null",
    column.defaultValue === undefined ? "" : ` default ${dialect.literal(column.defaultValue, column.type)}`,
    column.isUnique ? " unique" : "",
    check === undefined ? "" : ` check (${check})`,
  ].join("");
}

function foreignKeyText({ pairs, target }: Step, dialect: Dialect): string {
  const [from, to] = [pairs.map((pair) => pair.from), pairs.map((pair) => pair.to)];
  return `foreign key (${listed(from, dialect)}) references ${dialect.keepsToSchema ? dialect.quote(target.table) : qualifiedTable(target, dialect)} (${listed(to, dialect)})`;
}

/** The statement that creates an entity's table where there is none, with the foreign keys given. */
export function tableText(entity: ResolvedEntity, foreignKeys: readonly Step[], dialect: Dialect): string {
  const isInline = entity.key.length === 1 && entity.key[0]?.kind === "identity";
  const lines = [
    ...[...entity.columns.values()].map((column) => columnText(entity, column, dialect)),
    ...(isInline ? [] : [`primary key (${listed(entity.key, dialect)})`]),
    ...foreignKeys.map((step) => foreignKeyText(step, dialect)),
    ...[...entity.checks].map(
      ([name, rule]) =>
        `constraint ${dialect.quote(`${entity.table}_${name}`)} check (${definitionOf(entity, rule, dialect)})`,
    ),
  ];
  return `create table if not exists ${qualifiedTable(entity, dialect)} (\n  ${lines.join(",\n  ")}\n)${dialect.tableSettings}`;
}

/** The statement that adds a foreign key once both tables are there. */
export const addForeignKeyText = (entity: ResolvedEntity, step: Step, dialect: Dialect): string =>
  `alter table ${qualifiedTable(entity, dialect)} add ${foreignKeyText(step, dialect)}`;

/** An index as its table gets it: columns, each with a direction. */
interface Wanted {
  readonly columns: readonly ResolvedColumn[];
  readonly text: string;
  readonly isUnique: boolean;
  readonly conditions: readonly OwnCondition[];
}

/** Keys of other entities which no index and no key begins with. */
function keyIndexes(entity: ResolvedEntity, dialect: Dialect): readonly Wanted[] {
  const begins = [entity.key, ...entity.indexes.map(({ parts }) => parts.map(({ column }) => column))];
  return [...entity.relations.values()].flatMap(({ steps }) => {
    const [step] = steps;
    if (steps.length > 1 || step.holder !== "source") return [];
    const columns = step.pairs.map((pair) => pair.from);
    const isServed = begins.some((begin) => columns.every((column, i) => begin[i] === column));
    if (isServed || (columns.length === 1 && columns[0]?.isUnique === true)) return [];
    return [{ columns, text: listed(columns, dialect), isUnique: false, conditions: [] }];
  });
}

/**
 * The rows that an index holds. An engine without such indexes gets one of all rows, which serves as
 * well, unless it is to keep only some of them unique.
 */
function partText(
  entity: ResolvedEntity,
  isUnique: boolean,
  conditions: readonly OwnCondition[],
  dialect: Dialect,
): string {
  if (conditions.length === 0) return "";
  if (!dialect.hasPartialIndexes) {
    if (isUnique) throw new GemachError("INDEX_UNABLE", { entity: entity.name, engine: dialect.engine });
    return "";
  }
  const parts = conditions.map(({ column, value }) => {
    const name = dialect.quote(column.name);
    return value === null ? `${name} is null` : `${name} = ${dialect.literal(value, column.type)}`;
  });
  return ` where ${parts.join(" and ")}`;
}

/**
 * The statements that create the indexes of an entity: those that it names, and one for each key of
 * another entity which no other begins with. Without one, every step from an owner to its rows, and
 * every deletion of an owner, reads the whole table.
 */
export function indexTexts(entity: ResolvedEntity, dialect: Dialect): readonly string[] {
  const { quote } = dialect;
  const named = entity.indexes.map(({ parts, isUnique, conditions }): Wanted => {
    const text = parts.map(({ column, descending }) => `${quote(column.name)}${descending ? " desc" : ""}`).join(", ");
    return { columns: parts.map(({ column }) => column), text, isUnique, conditions };
  });
  const wanted = new Map(
    [...named, ...keyIndexes(entity, dialect)].map((index) => [
      [entity.table, ...index.columns.map((column) => column.name)].join("_"),
      index,
    ]),
  );
  const { schema, table } = entity;
  const place = dialect.keepsToSchema && schema !== undefined ? `${quote(schema)}.` : "";
  const on = dialect.keepsToSchema ? quote(table) : qualifiedTable(entity, dialect);
  return [...wanted].map(
    ([name, { text, isUnique, conditions }]) =>
      `create ${isUnique ? "unique " : ""}index if not exists ${place}${quote(name)} on ${on} (${text})${partText(entity, isUnique, conditions, dialect)}`,
  );
}
