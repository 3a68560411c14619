import { didYouMean } from "../errors/index.js";
import type { ColumnKind } from "./column.js";
import type { Definitions, EntityDefinition } from "./entity.js";
import type { NameConvention } from "./naming.js";
import type { Relation } from "./relation.js";

/** Names that the language itself asks values for. */
const languageNames: ReadonlySet<string> = new Set([
  "then",
  "constructor",
  "toJSON",
  "toString",
  "valueOf",
  "__proto__",
]);

/** Names that a relation cannot have, since a path to many rows has methods of these names. */
const methodNames: ReadonlySet<string> = new Set([
  ...["where", "given", "orderBy", "limit", "offset", "select", "reach", "how", "outside", "columns", "descend"],
  ...["exists", "notExists", "all", "count", "sum", "avg", "min", "max", "first"],
]);

/** Columns that hold a key may be of another kind than the key itself only where both hold the same values. */
const keyKind = (kind: ColumnKind): ColumnKind => (kind === "identity" ? "integer" : kind);

const quotedList = (names: Iterable<string>): string => [...names].map((name) => `'${name}'`).join(", ");

const keyOf = (definition: EntityDefinition): readonly string[] =>
  Object.keys(definition.columns).filter((name) => definition.columns[name]?.traits.has("key"));

function* columnMistakes(name: string, definition: EntityDefinition, columnNames: NameConvention): Generator<string> {
  const { table, columns, relations } = definition;
  if (table === "") yield `${name}: the table has no name`;
  if (keyOf(definition).length === 0)
    yield `${name}: no primary key; make a column identity, or mark one or more with .key`;
  const claimed = new Map<string, string>();
  for (const [property, column] of Object.entries(columns)) {
    const columnName = column.columnName ?? columnNames(property);
    const other = claimed.get(columnName);
    if (other !== undefined) yield `${name}: '${other}' and '${property}' are both the column '${columnName}'`;
    claimed.set(columnName, property);
    if (columnName === "") yield `${name}.${property}: the column has no name`;
    if (column.traits.has("key") && column.traits.has("nullable"))
      yield `${name}.${property}: a column of the primary key cannot be nullable`;
    if (Object.hasOwn(relations, property)) yield `${name}: '${property}' is the name of a column and of a relation`;
    if (languageNames.has(property)) yield `${name}.${property}: a column cannot have this name, the language uses it`;
  }
}

function* relationMistakes(
  name: string,
  definition: EntityDefinition,
  relationName: string,
  relation: Relation,
  definitions: Definitions,
): Generator<string> {
  const label = `${name}.${relationName}`;
  if (languageNames.has(relationName)) yield `${label}: a relation cannot have this name, the language uses it`;
  if (methodNames.has(relationName)) yield `${label}: a relation cannot have this name, it is a method of the builder`;
  const target = Object.hasOwn(definitions, relation.target) ? definitions[relation.target] : undefined;
  if (target === undefined) {
    yield `${label}: there is no entity '${relation.target}'.${didYouMean(relation.target, Object.keys(definitions))}`;
    return;
  }
  const holdsKey = relation.cardinality === "one";
  const [holder, holderName] = holdsKey ? [definition, name] : [target, relation.target];
  const [owner, ownerName] = holdsKey ? [target, relation.target] : [definition, name];
  const unknown = relation.by.filter((column) => !Object.hasOwn(holder.columns, column));
  for (const column of unknown)
    yield `${label}: ${holderName} has no column '${column}'.${didYouMean(column, Object.keys(holder.columns))}`;
  if (unknown.length > 0) return;
  const key = keyOf(owner);
  if (key.length === 0) return;
  if (key.length !== relation.by.length) {
    yield `${label}: by names ${relation.by.length} column${relation.by.length === 1 ? "" : "s"} (${quotedList(relation.by)}), but the primary key of ${ownerName} has ${key.length} (${quotedList(key)})`;
    return;
  }
  for (const [i, column] of relation.by.entries()) {
    const held = holder.columns[column]?.kind;
    const wanted = owner.columns[key[i] ?? ""]?.kind;
    if (held !== undefined && wanted !== undefined && keyKind(held) !== keyKind(wanted))
      yield `${label}: '${column}' is ${held}, but ${ownerName}.${key[i]} is ${wanted}`;
  }
}

/** Every mistake of the definitions, a line each. */
export function mistakesOf(definitions: Definitions, columnNames: NameConvention): readonly string[] {
  const mistakes: string[] = [];
  const tables = new Map<string, string>();
  for (const [name, definition] of Object.entries(definitions)) {
    const other = tables.get(definition.table);
    if (other !== undefined) mistakes.push(`${name}: the table '${definition.table}' belongs to ${other} already`);
    tables.set(definition.table, name);
    mistakes.push(...columnMistakes(name, definition, columnNames));
    for (const [relationName, relation] of Object.entries(definition.relations))
      mistakes.push(...relationMistakes(name, definition, relationName, relation, definitions));
  }
  return mistakes;
}
