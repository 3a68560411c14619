import {
  type ColumnFacts,
  canonicalOf,
  comparedKind,
  expectedOf,
  factsKey,
  kinds,
  type ValueType,
} from "../columns/index.js";
import { isExpression, nodeOf } from "../expression/index.js";
import { columnsIn, typeOf } from "../ir/index.js";
import {
  conditionMistakes,
  type FlatDefinition,
  type FlatDefinitions,
  keyOf,
  relationMistakes,
  unknownColumns,
} from "./check-relation.js";
import type { Conditions } from "./relation.js";

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
  ...["median", "percentile", "stddev", "joined"],
]);

/** MariaDB takes the least of all: 65 digits, 38 of them after the point; 16,383 characters of four bytes. */
function* typeMistakes({ kind, length = 1, precision = 1, scale = 0, choices, element }: ValueType): Generator<string> {
  if (kind === "varchar" && !(Number.isInteger(length) && length >= 1 && length <= 16_383))
    yield "a varchar has 1 to 16,383 characters";
  if (kind === "numeric" && !(Number.isInteger(precision) && precision >= 1 && precision <= 65))
    yield "a numeric has 1 to 65 digits";
  else if (kind === "numeric" && !(Number.isInteger(scale) && scale >= 0 && scale <= Math.min(precision, 38)))
    yield "a numeric has 0 to 38 digits after the point, and no more than in all";
  if (choices !== undefined && new Set(choices).size < choices.length) yield "a choice has each text once";
  if (element !== undefined && !kinds[element.kind].isElement) yield `a list cannot be of ${element.kind}`;
}

const isVersionKind = ({ type: { kind, codec }, traits }: ColumnFacts): boolean =>
  ["integer", "bigint", "timestamp"].includes(kind) && codec === undefined && !traits.has("nullable");

/** What is wrong with the conditions that an entity carries. */
function* standingMistakes(name: string, { columns, options, relations }: FlatDefinition): Generator<string> {
  for (const [label, one] of Object.entries(options.standing ?? {})) {
    if ("through" in one) {
      const relation = Object.hasOwn(relations, one.through) ? relations[one.through] : undefined;
      const isOwn = relation?.kind === "key" && relation.cardinality === "one" && relation.holder === "source";
      if (!isOwn)
        yield `${name}: the standing condition '${label}' goes through '${one.through}', which is no to-one relation whose key stands in the entity`;
      continue;
    }
    const facts = Object.hasOwn(columns, one.column) ? columns[one.column]?.[factsKey] : undefined;
    if (facts === undefined)
      yield `${name}: the standing condition '${label}' is of '${one.column}', which is no column`;
    else if ("is" in one && one.is !== null && canonicalOf(one.is, facts.type) === undefined)
      yield `${name}: the standing condition '${label}' is not ${expectedOf(facts.type)}`;
    else if (!("is" in one) && !("given" in one))
      yield `${name}: the standing condition '${label}' says neither 'is' nor 'given'`;
  }
}

function* columnMistakes(name: string, definition: FlatDefinition): Generator<string> {
  const { table, columns, relations, options } = definition;
  yield* standingMistakes(name, definition);
  if (table === "") yield `${name}: the table has no name`;
  const isWithoutKey = options.withoutKey === true;
  if (keyOf(definition).length === 0 && !isWithoutKey)
    yield `${name}: no primary key; make a column identity, mark one or more with .key, or say withoutKey: true of a table that has none`;
  if (keyOf(definition).length > 0 && isWithoutKey)
    yield `${name}: it is said to be without a key, but has a primary key`;
  const claimed = new Map<string, string>();
  for (const [property, { [factsKey]: facts }] of Object.entries(columns)) {
    const columnName = facts.columnName ?? property;
    if (facts.traits.has("version") && !isVersionKind(facts))
      yield `${name}.${property}: a version is an integer, a bigint or a timestamp that is not nullable, without a codec`;
    const other = claimed.get(columnName);
    if (other !== undefined) yield `${name}: '${other}' and '${property}' are both the column '${columnName}'`;
    claimed.set(columnName, property);
    if (columnName === "") yield `${name}.${property}: the column has no name`;
    if (facts.traits.has("key") && facts.traits.has("nullable"))
      yield `${name}.${property}: a column of the primary key cannot be nullable`;
    for (const mistake of [...typeMistakes(facts.type), ...collationMistakes(facts)])
      yield `${name}.${property}: ${mistake}`;
    if (facts.traits.has("key") && !kinds[facts.type.kind].isKey)
      yield `${name}.${property}: ${facts.type.kind} cannot be part of a primary key`;
    if (!fitsAsDefault(facts)) yield `${name}.${property}: its default is not ${expectedOf(facts.type)}`;
    if (Object.hasOwn(relations, property)) yield `${name}: '${property}' is the name of a column and of a relation`;
    if (languageNames.has(property)) yield `${name}.${property}: a column cannot have this name, the language uses it`;
  }
}

/** Whether a column's default is a value or an expression of its kind; an expression is of no column. */
function fitsAsDefault({ defaultValue: given, type }: ColumnFacts): boolean {
  if (given === undefined) return true;
  if (!isExpression(given)) return canonicalOf(given, type) !== undefined;
  const node = nodeOf(given);
  return comparedKind(typeOf(node).type.kind) === comparedKind(type.kind) && columnsIn(node).length === 0;
}

/** "due desc": the column and its direction. */
export const indexPart = (part: string): { readonly property: string; readonly descending: boolean } => ({
  property: part.replace(/ desc$/, ""),
  descending: part.endsWith(" desc"),
});

function* indexMistakes(name: string, definition: FlatDefinition): Generator<string> {
  const { columns, options } = definition;
  for (const { on, when = {} } of options.indexes ?? []) {
    const named = on.map((part) => indexPart(part).property);
    if (on.length === 0) yield `${name}: an index has no columns`;
    for (const mistake of unknownColumns(name, definition, [...named, ...Object.keys(when)]))
      yield `${name}: an index: ${mistake}`;
    for (const mistake of conditionMistakes(when as Conditions, name, definition))
      yield `${name}: an index: ${mistake}`;
    for (const property of named) {
      const kind = Object.hasOwn(columns, property) ? columns[property]?.[factsKey].type.kind : undefined;
      if (kind !== undefined && !kinds[kind].isIndexable)
        yield `${name}: an index cannot be on '${property}', which is ${kind}`;
    }
  }
}

function* collationMistakes({ type, collations }: ColumnFacts): Generator<string> {
  if (Object.keys(collations).length > 0 && !kinds[type.kind].hasCollation) yield `${type.kind} has no collation`;
  for (const collation of Object.values(collations))
    if (!/^[\w.-]+$/.test(collation)) yield `'${collation}' is no name of a collation`;
}

function* nameMistakes(name: string): Generator<string> {
  if (languageNames.has(name)) yield "a relation cannot have this name, the language uses it";
  if (methodNames.has(name)) yield "a relation cannot have this name, it is a method of the builder";
}

const tableOf = ({ table, options: { schema } }: FlatDefinition): string => JSON.stringify([schema ?? null, table]);

/** An entity over another's table has some of that one's columns, and no others. */
function* sharingMistakes(name: string, definition: FlatDefinition, definitions: FlatDefinitions): Generator<string> {
  const { sharedWith } = definition.options;
  if (sharedWith === undefined) return;
  const other = Object.hasOwn(definitions, sharedWith) ? definitions[sharedWith] : undefined;
  if (other === undefined || other.options.sharedWith !== undefined || tableOf(other) !== tableOf(definition)) {
    yield `${name}: sharedWith names no entity that '${definition.table}' belongs to`;
    return;
  }
  const named = ({ columns }: FlatDefinition) =>
    Object.entries(columns).map(([property, { [factsKey]: facts }]) => facts.columnName ?? property);
  const known = named(other);
  for (const column of named(definition))
    if (!known.includes(column)) yield `${name}: ${sharedWith}, whose table it shares, has no column '${column}'`;
}

/** The entities that one's conditions go through. */
const throughIn = (name: string, definitions: FlatDefinitions): readonly string[] => {
  const { options, relations } = Object.hasOwn(definitions, name) ? (definitions[name] as FlatDefinition) : none;
  return Object.values(options.standing ?? {}).flatMap((one) => {
    const relation = "through" in one && Object.hasOwn(relations, one.through) ? relations[one.through] : undefined;
    return relation?.kind === "key" ? [relation.target] : [];
  });
};
const none = { options: {}, relations: {} } as Pick<FlatDefinition, "options" | "relations">;

/** Conditions that go through each other have no end. */
function* circleMistakes(name: string, definitions: FlatDefinitions): Generator<string> {
  const seen = new Set(throughIn(name, definitions));
  for (const other of seen) for (const others of throughIn(other, definitions)) seen.add(others);
  if (seen.has(name)) yield `${name}: its standing condition goes through relations that lead back to it`;
}

/** Every mistake of the definitions, a line each. */
export function mistakesOf(definitions: FlatDefinitions): readonly string[] {
  const mistakes: string[] = [];
  const tables = new Map<string, string>();
  for (const [name, definition] of Object.entries(definitions)) {
    const table = [definition.options.schema, definition.table].filter((part) => part !== undefined).join(".");
    const other = tables.get(table);
    const { sharedWith } = definition.options;
    if (other !== undefined && sharedWith === undefined)
      mistakes.push(
        `${name}: the table '${table}' belongs to ${other} already; say sharedWith: "${other}" if it is meant`,
      );
    if (sharedWith === undefined) tables.set(table, name);
    mistakes.push(
      ...sharingMistakes(name, definition, definitions),
      ...columnMistakes(name, definition),
      ...indexMistakes(name, definition),
      ...circleMistakes(name, definitions),
    );
    for (const [relationName, relation] of Object.entries(definition.relations)) {
      const found = [
        ...nameMistakes(relationName),
        ...relationMistakes(name, definition, relationName, relation, definitions),
      ];
      mistakes.push(...found.map((mistake) => `${name}.${relationName}: ${mistake}`));
    }
  }
  return mistakes;
}
