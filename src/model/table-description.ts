import type { Scalar, ValueType } from "../columns/index.js";
import type { ForeignKeyAction, Node, ResolvedColumn, ResolvedEntity, ResolvedIndex, Step } from "../ir/index.js";
import { dependencyOrder } from "./dependency-order.js";
import { heldKeys, type IndexPart } from "./indexes-in.js";
import { objectName } from "./object-name.js";

/** A column of a table. */
export interface ColumnDescription {
  readonly name: string;
  readonly type: ValueType;
  readonly isNullable: boolean;
  /** What the table has for rows that leave it out. */
  readonly defaultValue: Scalar | undefined;
  readonly defaultExpression: Node | undefined;
  /** Whether the database hands its values out. */
  readonly isIdentity: boolean;
  /** What the database works it out of: an expression of the row's own columns. */
  readonly computed: Node | undefined;
  /** What the table alone knows: the model says only that it is there. */
  readonly unknown: "default" | "computation" | undefined;
  /** Collations by the name of the dialect; undefined where it is compared by code point. */
  readonly collations: Readonly<Record<string, string>> | undefined;
  /** Its former name. */
  readonly formerName: string | undefined;
}

/** Columns whose values are those of a key of another table, or of the same, and what becomes of them with it. */
export interface ForeignKeyDescription {
  readonly columns: readonly string[];
  readonly target: TableReference;
  readonly targetColumns: readonly string[];
  readonly onDelete: ForeignKeyAction;
  readonly onUpdate: ForeignKeyAction;
}

/** A table by its name. */
export interface TableReference {
  readonly schema: string | undefined;
  readonly table: string;
}

/** An index, by a name that no other index of the model has. */
export interface IndexDescription {
  readonly name: string;
  readonly parts: readonly { readonly column: string; readonly descending: boolean }[];
  readonly isUnique: boolean;
  /** Only rows that have these values are in it; null: none. */
  readonly conditions: readonly { readonly column: string; readonly type: ValueType; readonly value: Scalar }[];
}

/** A rule that each row keeps: a predicate over its own columns. */
export interface CheckDescription {
  readonly name: string;
  readonly rule: Node;
}

/** A table as a database has it, or is to have it. */
export interface TableDescription extends TableReference {
  /** The entity's name, for messages. */
  readonly entity: string;
  /** Its former name. */
  readonly formerTable: string | undefined;
  readonly columns: readonly ColumnDescription[];
  readonly primaryKey: readonly string[];
  readonly foreignKeys: readonly ForeignKeyDescription[];
  /** Columns no two rows of which have the same values. */
  readonly uniques: readonly (readonly string[])[];
  readonly indexes: readonly IndexDescription[];
  readonly checks: readonly CheckDescription[];
}

/** A table in the order of creation, and those of its foreign keys that lead to tables which come after it. */
export interface TableInOrder {
  readonly table: TableDescription;
  readonly deferredKeys: readonly ForeignKeyDescription[];
}

const namesOf = (columns: readonly ResolvedColumn[]): readonly string[] => columns.map(({ name }) => name);

const keyOf = ({ pairs, target, onDelete, onUpdate }: Step): ForeignKeyDescription => ({
  columns: pairs.map(({ from }) => from.name),
  target: { schema: target.schema, table: target.table },
  targetColumns: pairs.map(({ to }) => to.name),
  onDelete,
  onUpdate,
});

function unknownOf(column: ResolvedColumn, { computations }: ResolvedEntity): ColumnDescription["unknown"] {
  if (column.isComputed) return computations.has(column) ? undefined : "computation";
  const isKnown = column.defaultValue !== undefined || column.defaultExpression !== undefined;
  return column.hasDefault && !isKnown ? "default" : undefined;
}

/** Each key once: several relations may go over one, to entities of one table. */
const distinct = (keys: readonly ForeignKeyDescription[]): readonly ForeignKeyDescription[] => [
  ...new Map(keys.map((key) => [JSON.stringify(key), key])).values(),
];

const columnOf = (column: ResolvedColumn, entity: ResolvedEntity): ColumnDescription => ({
  name: column.name,
  type: column.type,
  isNullable: column.isNullable,
  defaultValue: column.defaultValue,
  defaultExpression: column.defaultExpression,
  isIdentity: column.kind === "identity" && entity.key.length === 1,
  computed: entity.computations.get(column),
  unknown: unknownOf(column, entity),
  collations: Object.keys(column.collations).length === 0 ? undefined : column.collations,
  formerName: column.formerName,
});

/** An index before it has a name. */
type Unnamed = Omit<IndexDescription, "name">;

const ownIndex = ({ parts, isUnique, conditions }: ResolvedIndex): Unnamed => ({
  parts: parts.map(({ column, descending }) => ({ column: column.name, descending })),
  isUnique,
  conditions: conditions.map(({ column, value }) => ({ column: column.name, type: column.type, value })),
});

/**
 * Keys of other entities which no index and no key begins with. Without an index, every step from an owner to its
 * rows, and every deletion of an owner, reads the whole table.
 */
function keyIndexes(entity: ResolvedEntity): readonly Unnamed[] {
  const begins = [entity.key, ...entity.indexes.map(({ parts }) => parts.map(({ column }) => column))];
  const served = new Set<string>();
  return heldKeys(entity).flatMap(({ pairs, isIndexed }) => {
    const columns = pairs.map(({ from }) => from);
    const isServed = begins.some((begin) => columns.every((column, i) => begin[i] === column));
    const text = namesOf(columns).join("\u0000");
    if (!isIndexed || isServed || served.has(text) || (columns.length === 1 && columns[0]?.isUnique === true))
      return [];
    served.add(text);
    return [
      { parts: columns.map(({ name }) => ({ column: name, descending: false })), isUnique: false, conditions: [] },
    ];
  });
}

/** What an index is known by: all that it is, so that its name stays when others come and go. */
const definitionOf = ({ parts, isUnique, conditions }: Unnamed): string =>
  JSON.stringify([parts, isUnique, conditions.map(({ column, value }) => [column, String(value)])]);

/** Names of indexes tell what they are of; where that is not enough they end in a hash of the whole definition. */
function indexesOf(entity: ResolvedEntity, taken: Set<string>): readonly IndexDescription[] {
  const unnamed = [...entity.indexes.map(ownIndex), ...keyIndexes(entity)];
  return unnamed.map((index) => {
    const isPlain = !index.isUnique && index.conditions.length === 0 && !index.parts.some((part) => part.descending);
    const plain = [entity.table, ...index.parts.map(({ column }) => column)].join("_");
    const isAlone = unnamed.every((other) => other === index || plainName(entity, other) !== plain);
    const name = objectName(plain, isAlone || isPlain ? undefined : definitionOf(index), taken);
    return { ...index, name };
  });
}

/** An index that the model has not, by the name that it would have there. */
export const proposedIndex = (entity: ResolvedEntity, given: readonly IndexPart[]): IndexDescription => {
  const index = ownIndex({ parts: given, isUnique: false, conditions: [] });
  return { ...index, name: objectName(plainName(entity, index), undefined, new Set()) };
};

const plainName = ({ table }: ResolvedEntity, { parts }: Unnamed): string =>
  [table, ...parts.map(({ column }) => column)].join("_");

function describe(entity: ResolvedEntity, takenIndexes: Set<string>): TableDescription {
  const columns = [...entity.columns.values()];
  const takenChecks = new Set<string>();
  return {
    entity: entity.name,
    formerTable: entity.formerTable,
    schema: entity.schema,
    table: entity.table,
    columns: columns.map((column) => columnOf(column, entity)),
    primaryKey: namesOf(entity.key),
    foreignKeys: distinct(
      heldKeys(entity)
        .filter(({ isBacked }) => isBacked)
        .map(keyOf),
    ),
    uniques: columns.filter(({ isUnique }) => isUnique).map(({ name }) => [name]),
    indexes: indexesOf(entity, takenIndexes),
    checks: [...entity.checks].map(([name, rule]) => ({
      name: objectName(`${entity.table}_${name}`, undefined, takenChecks),
      rule,
    })),
  };
}

/** What a table is known by in its database. */
export const tableKey = ({ schema, table }: TableReference): string => JSON.stringify([schema ?? null, table]);

/** The tables of a model's entities, each after those that it refers to, as far as they go in no circle. */
export function describeTables(entities: readonly ResolvedEntity[]): readonly TableInOrder[] {
  const taken = new Set<string>();
  const tables = entities
    .filter(({ isReadOnly, isShared }) => !isReadOnly && !isShared)
    .map((entity) => describe(entity, taken));
  const byKey = new Map(tables.map((table) => [tableKey(table), table]));
  const targetOf = ({ target }: ForeignKeyDescription) => byKey.get(tableKey(target));
  const ordered = dependencyOrder(tables, ({ foreignKeys }) =>
    foreignKeys.map(targetOf).filter((target) => target !== undefined),
  );
  return ordered.map(({ item: table, deferred }) => ({
    table,
    deferredKeys: table.foreignKeys.filter((key) => deferred.some((other) => other === targetOf(key))),
  }));
}
