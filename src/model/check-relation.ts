import { type AnyColumn, canonicalOf, comparedKind, expectedOf, factsKey } from "../columns/index.js";
import { didYouMean } from "../errors/index.js";
import type { EntityDefinition } from "./entity.js";
import type { AnyRelation, Conditions, Link, Relation, Route } from "./relation.js";
/** An entity whose columns are listed by their paths. */
export type FlatDefinition = Omit<EntityDefinition, "columns"> & {
  readonly columns: Readonly<Record<string, AnyColumn>>;
};

/** Entities whose columns are listed by their paths, by name. */
export type FlatDefinitions = Readonly<Record<string, FlatDefinition>>;

const quotedList = (names: Iterable<string>): string => [...names].map((name) => `'${name}'`).join(", ");

/** The primary key's columns, in their order. */
export const keyOf = (definition: FlatDefinition): readonly string[] =>
  Object.keys(definition.columns).filter((name) => definition.columns[name]?.[factsKey].traits.has("key"));

const listOf = (names: string | readonly string[]): readonly string[] => (typeof names === "string" ? [names] : names);

const entityOf = (definitions: FlatDefinitions, name: string): FlatDefinition | undefined =>
  Object.hasOwn(definitions, name) ? definitions[name] : undefined;

const noEntity = (name: string, definitions: FlatDefinitions): string =>
  `there is no entity '${name}'.${didYouMean(name, Object.keys(definitions))}`;

/** Names that are no columns of an entity. */
export function* unknownColumns(
  entity: string,
  { columns }: FlatDefinition,
  names: readonly string[],
): Generator<string> {
  for (const name of names)
    if (!Object.hasOwn(columns, name))
      yield `${entity} has no column '${name}'.${didYouMean(name, Object.keys(columns))}`;
}

/** Mistakes in conditions on an entity's columns. */
export function* conditionMistakes(when: Conditions, entity: string, { columns }: FlatDefinition): Generator<string> {
  for (const [name, value] of Object.entries(when)) {
    const facts = Object.hasOwn(columns, name) ? columns[name]?.[factsKey] : undefined;
    if (facts === undefined) continue;
    if (value === null && !facts.traits.has("nullable")) yield `${entity}.${name} always has a value`;
    if (value !== null && canonicalOf(value, facts.type) === undefined)
      yield `the condition on ${entity}.${name} is not ${expectedOf(facts.type)}`;
  }
}

function* ruleMistakes({ rules }: Relation, targetName: string, target: FlatDefinition): Generator<string> {
  const { when = {}, order = {}, missing = "null" } = rules;
  if (missing !== "null" && missing !== "error")
    yield `missing takes "null" or "error", not ${JSON.stringify(missing)}`;
  yield* unknownColumns(targetName, target, [...Object.keys(when), ...Object.keys(order)]);
  yield* conditionMistakes(when, targetName, target);
}

function* keyMistakes(
  name: string,
  definition: FlatDefinition,
  relation: Relation,
  definitions: FlatDefinitions,
): Generator<string> {
  const target = entityOf(definitions, relation.target);
  if (target === undefined) {
    yield noEntity(relation.target, definitions);
    return;
  }
  yield* ruleMistakes(relation, relation.target, target);
  const isOurs = relation.holder === "source";
  if (relation.rules.owns === true && (isOurs || relation.rules.when !== undefined))
    yield "owns is for relations without a condition whose key stands in the target";
  const hasVersion = Object.values(definition.columns).some((column) => column[factsKey].traits.has("version"));
  if (relation.rules.guards === true && !(relation.rules.owns === true && hasVersion))
    yield "guards is for relations with owns, of an entity that has a version";
  const [holder, holderName] = isOurs ? [definition, name] : [target, relation.target];
  const [owner, ownerName] = isOurs ? [target, relation.target] : [definition, name];
  const referred = relation.rules.to === undefined ? keyOf(owner) : listOf(relation.rules.to);
  const unknown = [...unknownColumns(holderName, holder, relation.by), ...unknownColumns(ownerName, owner, referred)];
  yield* unknown;
  if (referred.length === 0) yield `${ownerName} has no primary key; say by 'to' which of its columns the key leads to`;
  if (unknown.length > 0 || referred.length === 0) return;
  if (referred.length !== relation.by.length) {
    const what = relation.rules.to === undefined ? `the primary key of ${ownerName}` : "to";
    yield `by names ${relation.by.length} column${relation.by.length === 1 ? "" : "s"} (${quotedList(relation.by)}), but ${what} has ${referred.length} (${quotedList(referred)})`;
    return;
  }
  for (const [i, column] of relation.by.entries()) {
    const held = holder.columns[column]?.[factsKey].type.kind;
    const wanted = owner.columns[referred[i] ?? ""]?.[factsKey].type.kind;
    if (held !== undefined && wanted !== undefined && comparedKind(held) !== comparedKind(wanted))
      yield `'${column}' is ${held}, but ${ownerName}.${referred[i]} is ${wanted}`;
  }
  if (relation.cardinality === "one" && !isOurs && !isAlone(target, relation.by))
    yield `${quotedList(relation.by)} of ${relation.target} may be the same in several rows; mark it unique, or use toMany`;
  if (!isAlone(owner, referred))
    yield `${quotedList(referred)} of ${ownerName} ${referred.length === 1 ? "is" : "are"} not unique`;
}

/** The entity that holds a key must know whose it is: its relation is what gives the table a foreign key. */
function* wayBackMistakes(
  owner: string,
  { holder, target, by, rules }: Relation,
  definitions: FlatDefinitions,
): Generator<string> {
  if (holder === "source" || rules.constraint === false) return;
  const isThere = Object.values(entityOf(definitions, target)?.relations ?? {}).some(
    (relation) =>
      relation.kind === "key" &&
      relation.holder === "source" &&
      relation.target === owner &&
      relation.by.length === by.length &&
      relation.by.every((column, i) => column === by[i]),
  );
  if (!isThere)
    yield `${target} has no to-one relation over ${quotedList(by)} to ${owner}; add one, or say constraint: false`;
}

/** Whether no two rows can have the same values in these columns. */
function isAlone(definition: FlatDefinition, columns: readonly string[]): boolean {
  const isUnique =
    columns.some((column) => definition.columns[column]?.[factsKey].traits.has("unique")) ||
    (definition.options.indexes ?? []).some(
      ({ on, unique, when }) =>
        unique && when === undefined && on.every((part) => columns.includes(part.replace(/ desc$/, ""))),
    );
  const key = keyOf(definition);
  return isUnique || (key.length > 0 && key.every((column) => columns.includes(column)));
}

/** The link entity's relation to an entity, by name or the only one there is. */
export function linkStep(link: FlatDefinition, to: string, named: string | undefined): string | readonly string[] {
  const candidates = Object.keys(link.relations).filter((name) => {
    const relation = link.relations[name];
    return relation?.kind === "key" && relation.holder === "source" && relation.target === to;
  });
  if (named !== undefined) return candidates.includes(named) ? named : candidates;
  return candidates.length === 1 && candidates[0] !== undefined ? candidates[0] : candidates;
}

function* linkMistakes(name: string, relation: Link, definitions: FlatDefinitions): Generator<string> {
  const link = entityOf(definitions, relation.by);
  if (entityOf(definitions, relation.target) === undefined) yield noEntity(relation.target, definitions);
  if (link === undefined) {
    yield noEntity(relation.by, definitions);
    return;
  }
  for (const [option, entity] of [
    ["from", name],
    ["to", relation.target],
  ] as const) {
    const step = linkStep(link, entity, relation.options[option]);
    if (typeof step === "string") continue;
    if (step.length === 0) yield `${relation.by} has no to-one relation to ${entity}`;
    else yield `${relation.by} has several relations to ${entity}; say which by '${option}': ${quotedList(step)}`;
  }
}

/** Follows the names of relations; gives the entity at their end, or the mistake on the way. */
function follow(
  name: string,
  route: Route,
  definitions: FlatDefinitions,
  open: readonly string[],
): { end: string } | { mistake: string } {
  let at = name;
  for (const step of route.steps) {
    const relations = entityOf(definitions, at)?.relations ?? {};
    const relation = Object.hasOwn(relations, step) ? relations[step] : undefined;
    if (relation === undefined)
      return { mistake: `${at} has no relation '${step}'.${didYouMean(step, Object.keys(relations))}` };
    const label = `${at}.${step}`;
    if (open.includes(label)) return { mistake: `it goes in a circle: ${[...open, label].join(" → ")}` };
    if (relation.kind === "route") {
      const inner = follow(at, relation, definitions, [...open, label]);
      if ("mistake" in inner) return inner;
      at = inner.end;
    } else at = relation.target;
  }
  return { end: at };
}

/** Every mistake of one relation, without its label. */
export function* relationMistakes(
  name: string,
  definition: FlatDefinition,
  relationName: string,
  relation: AnyRelation,
  definitions: FlatDefinitions,
): Generator<string> {
  switch (relation.kind) {
    case "key": {
      const mistakes = [...keyMistakes(name, definition, relation, definitions)];
      yield* mistakes.length === 0 ? wayBackMistakes(name, relation, definitions) : mistakes;
      break;
    }
    case "link":
      yield* linkMistakes(name, relation, definitions);
      break;
    case "route": {
      if (relation.steps.length === 0) yield "via names no relation";
      const found = follow(name, relation, definitions, [`${name}.${relationName}`]);
      if ("mistake" in found) yield found.mistake;
      break;
    }
    default:
      relation satisfies never;
  }
}
