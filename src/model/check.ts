import { didYouMean } from "../errors/index.js";
import type { Definitions, EntityDefinition } from "./entity.js";
import type { NameConvention } from "./naming.js";
import type { Relation } from "./relation.js";
import { canonicalOf, expectedOf } from "./value-rules.js";
import { comparedKind, type ValueType } from "./value-type.js";

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

/** Kinds whose values are not told apart alike on every engine, or not by an index. */
const unfitKeys: ReadonlySet<string> = new Set(["json", "bytes", "list", "double"]);

/** MariaDB takes the least of all: 65 digits, 38 of them after the point; 16,383 characters of four bytes. */
function* typeMistakes({ kind, length = 1, precision = 1, scale = 0, choices, element }: ValueType): Generator<string> {
  if (kind === "varchar" && !(Number.isInteger(length) && length >= 1 && length <= 16_383))
    yield "a varchar has 1 to 16,383 characters";
  if (kind === "numeric" && !(Number.isInteger(precision) && precision >= 1 && precision <= 65))
    yield "a numeric has 1 to 65 digits";
  else if (kind === "numeric" && !(Number.isInteger(scale) && scale >= 0 && scale <= Math.min(precision, 38)))
    yield "a numeric has 0 to 38 digits after the point, and no more than in all";
  if (choices !== undefined && new Set(choices).size < choices.length) yield "a choice has each text once";
  if (element !== undefined && (element.kind === "list" || element.kind === "json" || element.kind === "identity"))
    yield `a list cannot be of ${element.kind}`;
}

const quotedList = (names: Iterable<string>): string => [...names].map((name) => `'${name}'`).join(", ");

const keyOf = (definition: EntityDefinition): readonly string[] =>
  Object.keys(definition.columns).filter((name) => definition.columns[name]?.facts.traits.has("key"));

function* columnMistakes(name: string, definition: EntityDefinition, columnNames: NameConvention): Generator<string> {
  const { table, columns, relations } = definition;
  if (table === "") yield `${name}: the table has no name`;
  if (keyOf(definition).length === 0)
    yield `${name}: no primary key; make a column identity, or mark one or more with .key`;
  const claimed = new Map<string, string>();
  for (const [property, { facts }] of Object.entries(columns)) {
    const columnName = facts.columnName ?? columnNames(property);
    const other = claimed.get(columnName);
    if (other !== undefined) yield `${name}: '${other}' and '${property}' are both the column '${columnName}'`;
    claimed.set(columnName, property);
    if (columnName === "") yield `${name}.${property}: the column has no name`;
    if (facts.traits.has("key") && facts.traits.has("nullable"))
      yield `${name}.${property}: a column of the primary key cannot be nullable`;
    for (const mistake of typeMistakes(facts.type)) yield `${name}.${property}: ${mistake}`;
    if (facts.traits.has("key") && unfitKeys.has(facts.type.kind))
      yield `${name}.${property}: ${facts.type.kind} cannot be part of a primary key`;
    if (facts.defaultValue !== undefined && canonicalOf(facts.defaultValue, facts.type) === undefined)
      yield `${name}.${property}: its default is not ${expectedOf(facts.type)}`;
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
    const held = holder.columns[column]?.facts.type.kind;
    const wanted = owner.columns[key[i] ?? ""]?.facts.type.kind;
    if (held !== undefined && wanted !== undefined && comparedKind(held) !== comparedKind(wanted))
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
