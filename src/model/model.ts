import {
  type ColumnFacts,
  type Columns,
  canonicalOf,
  codeName,
  factsKey,
  flatColumns,
  isValueObject,
  kinds,
  type NameConvention,
  type StandardSchema,
  sameName,
  typeWord,
} from "../columns/index.js";
import { expectOptions, GemachError } from "../errors/index.js";
import { isExpression, nodeOf } from "../expression/index.js";
import type { NoQuery, ResolvedColumn, ResolvedEntity, ResolvedMember, StandingCondition } from "../ir/index.js";
import { indexPart, mistakesOf } from "./check.js";
import type { FlatDefinition } from "./check-relation.js";
import type { AnyDefinitions, Definitions, EntityDefinition, EntityName, KeyOf, PlainRow, Standing } from "./entity.js";
import type { RelationFaults } from "./faults.js";
import { conditionsOf, type EntityBuilder, link } from "./link.js";
import type { NewRow } from "./new-row.js";
import type { Conditions } from "./relation.js";
import { rowSchema } from "./row-schema.js";
import { settleRules } from "./rules.js";

const resolvedKey: unique symbol = Symbol("gemach.resolved");
declare const definitionsOf: unique symbol;

/** An entity of a model: what queries start from. */
export interface Entity<D extends Definitions<D>, E extends EntityName<D>>
  extends NoQuery<"an entity is no query: make one with from(Entity)"> {
  readonly name: E;
  readonly table: string;
  /** The schema of a new row (Standard Schema): for forms and requests whose data is to be inserted. */
  readonly newRowSchema: StandardSchema<NewRow<D, E>>;
  /** The schema of a part of a row (Standard Schema): what is there must be right. */
  readonly partialRowSchema: StandardSchema<Partial<NewRow<D, E>>>;
  /** @internal */
  readonly [resolvedKey]: ResolvedEntity;
  /** For the types only. @internal */
  readonly [definitionsOf]: D;
}

/** An application's entities with their relations, checked as a whole. */
export type Model<D extends Definitions<D>> = { readonly [E in keyof D]: Entity<D, E & string> };

/** in: the type of an entity of a model; out: its plain row. */
export type PlainRowOf<X> = X extends Entity<infer D, infer E> ? PlainRow<D, E> : never;

/** in: the type of an entity of a model; out: a row to be inserted. */
export type NewRowOf<X> = X extends Entity<infer D, infer E> ? NewRow<D, E> : never;

/** in: the type of an entity of a model; out: its primary key, an object where it has several columns. */
export type PrimaryKeyOf<X> = X extends Entity<infer D, infer E> ? KeyOf<D, E> : never;

/** Settings of a model. */
export interface ModelOptions {
  /** Derives the column names that are not given with `named`; the default takes the property's name as it is. */
  readonly columnNames?: NameConvention;
  /**
   * How the database compares and sorts texts whose column does not say it by `collated`, by the name of the dialect;
   * by code point where it is left out. `{ postgres: "default" }` for tables that others made with their database's own
   * collation.
   */
  readonly collations?: { readonly sqlite?: string; readonly postgres?: string; readonly mariadb?: string };
}

/** Makes instances of a user's class: by its own function, or without its constructor. */
function makerOf({ as, make }: EntityDefinition["options"]): ((row: object) => object) | undefined {
  if (make !== undefined) return make as (row: object) => object;
  return as === undefined ? undefined : (row) => Object.assign(Object.create(as.prototype as object) as object, row);
}

const leavesOf = (member: ResolvedMember): readonly ResolvedColumn[] =>
  "fields" in member ? [...member.fields.values()].flatMap(leavesOf) : [member];

/** Columns and value objects, as code sees them, of the columns that were settled. */
function membersOf(
  columns: Columns,
  resolved: ReadonlyMap<string, ResolvedColumn>,
  path = "",
): ReadonlyMap<string, ResolvedMember> {
  return new Map(
    Object.entries(columns).map(([name, member]): [string, ResolvedMember] => {
      if (!isValueObject(member)) return [name, resolved.get(`${path}${name}`) as ResolvedColumn];
      const fields = membersOf(member.columns, resolved, `${path}${name}.`);
      const required = Object.entries(member.columns).find(
        ([, part]) => !isValueObject(part) && !part[factsKey].traits.has("nullable"),
      );
      const telling = required === undefined ? [...fields.values()] : [fields.get(required[0]) as ResolvedMember];
      return [name, { fields, presence: member.isNullable ? telling.flatMap(leavesOf) : undefined }];
    }),
  );
}

/** What the table has for rows that leave a column out. */
function defaultOf({ defaultValue: given, type, traits, initial }: ColumnFacts) {
  const expression = isExpression(given) ? nodeOf(given) : undefined;
  return {
    defaultValue: given === undefined || expression !== undefined ? undefined : canonicalOf(given, type),
    defaultExpression: expression,
    hasDefault: traits.has("defaulted") && initial === undefined,
  };
}

/** Standing conditions, whose columns were found to be right. */
const standingIn = (
  standing: { readonly [name: string]: Standing },
  columns: ReadonlyMap<string, ResolvedColumn>,
): readonly StandingCondition[] =>
  Object.entries(standing).flatMap(([name, one]): readonly StandingCondition[] => {
    if ("through" in one) return [];
    const column = columns.get(one.column) as ResolvedColumn;
    if ("given" in one) return [{ name, column, value: { given: one.given }, removed: undefined }];
    const value = one.is === null ? null : (canonicalOf(one.is, column.type) ?? null);
    return [{ name, column, value, removed: one.removed }];
  });

/** A type of the engine's own has its own collation, unless the column says one. */
const collationsOf = ({ type, collations }: ColumnFacts, usual: Readonly<Record<string, string>>) =>
  Object.keys(collations).length > 0 || !kinds[type.kind].hasCollation || type.stored !== undefined
    ? collations
    : usual;

function draft(
  name: string,
  { table, columns, options }: EntityDefinition,
  { columnNames = sameName, collations = {} }: ModelOptions,
): EntityBuilder {
  const resolved = new Map(
    flatColumns(columns).map(
      ({ path: property, steps, column: { [factsKey]: facts }, mayBeMissing }): [string, ResolvedColumn] => [
        property,
        {
          entity: name,
          property,
          steps,
          name: facts.columnName ?? columnNames(codeName(steps)),
          kind: facts.type.kind,
          type: facts.type,
          isNullable: mayBeMissing || facts.traits.has("nullable"),
          isRequired: !facts.traits.has("nullable"),
          isKey: facts.traits.has("key"),
          isUnique: facts.traits.has("unique"),
          isComputed: facts.traits.has("computed"),
          isHeavy: facts.traits.has("heavy"),
          isSecret: facts.traits.has("secret"),
          isVersion: facts.traits.has("version"),
          ...defaultOf(facts),
          initial: facts.initial,
          written: facts.written,
          schema: facts.schema,
          collations: collationsOf(facts, collations),
          formerName: facts.formerName,
        },
      ],
    ),
  );
  const key = [...resolved.values()].filter((column) => column.isKey);
  const indexes = (options.indexes ?? []).map(({ on, unique = false, when = {} }) => ({
    conditions: conditionsOf(when as Conditions, resolved),
    parts: on.map((part) => {
      const { property, descending } = indexPart(part);
      return { column: resolved.get(property) as ResolvedColumn, descending };
    }),
    isUnique: unique,
  }));
  return {
    name,
    table,
    schema: options.schema,
    formerTable: options.formerly,
    members: membersOf(columns, resolved),
    columns: resolved,
    key,
    relations: new Map(),
    indexes,
    isReadOnly: options.readOnly === true,
    standing: standingIn(options.standing ?? {}, resolved),
    through: Object.entries(options.standing ?? {}).flatMap(([label, one]) =>
      "through" in one ? [{ name: label, relation: one.through }] : [],
    ),
    open: options.open,
    isShared: options.sharedWith !== undefined,
    checks: new Map(),
    computations: new Map(),
    make: makerOf(options),
  };
}

/** Definitions with each column of a value object by its path, and with its name in the table. */
const flatDefinitions = (
  definitions: AnyDefinitions,
  columnNames: NameConvention,
): Readonly<Record<string, FlatDefinition>> =>
  Object.fromEntries(
    Object.entries(definitions).map(([name, given]) => [
      name,
      {
        ...given,
        columns: Object.fromEntries(
          flatColumns(given.columns).map(({ path, steps, column, mayBeMissing }) => {
            const named = column.named(column[factsKey].columnName ?? columnNames(codeName(steps)));
            return [path, mayBeMissing ? named.nullable : named];
          }),
        ),
      },
    ]),
  );

/** Columns that one path leads to, where a name has a dot of its own. */
const pathMistakes = (definitions: AnyDefinitions): readonly string[] =>
  Object.entries(definitions).flatMap(([name, { columns }]) => {
    const paths = flatColumns(columns).map(({ path }) => path);
    const twice = paths.filter((path, i) => paths.indexOf(path) < i);
    return twice.map((path) => `${name}: two columns are called '${path}'`);
  });

const entitiesKey: unique symbol = Symbol("gemach.entities");

/**
 * A class whose instances would be the entities `D`: for a class of one's own to extend, which gives their type a name.
 */
export interface EntitiesClass<D> {
  /** For the types only: there are no instances. @internal */
  new (never: never): D;
  /** @internal */
  readonly [entitiesKey]: AnyDefinitions;
}

/**
 * The entities of a model, for a class to extend: `class Lending extends entities({ … }) {}`. The class gives the
 * model's type a short name, which editors show and declarations refer to, in place of all of its entities.
 */
export function entities<const D extends Definitions<D>>(
  definitions: D & NoInfer<RelationFaults<D>>,
): EntitiesClass<{ readonly [E in keyof D]: D[E] }> {
  // A class, for another to extend, that has no instances.
  const made = Object.assign(function Entities() {}, { [entitiesKey]: definitions });
  return made as unknown as EntitiesClass<{ readonly [E in keyof D]: D[E] }>;
}

/**
 * Makes one value of all entities of an application: of a class that extends `entities({ … })`, or of the entities
 * themselves. Relations name their targets by string, so that entities can refer to each other freely.
 * @throws GemachError `MODEL_INVALID` with every mistake, a line each.
 */
export function model<D extends Definitions<D>>(definitions: EntitiesClass<D>, options?: ModelOptions): Model<D>;
export function model<const D extends Definitions<D>>(
  definitions: D & NoInfer<RelationFaults<D>>,
  options?: ModelOptions,
): Model<D>;
export function model(definitions: object, options: ModelOptions = {}): object {
  expectOptions("model", options, ["columnNames", "collations"]);
  const columnNames = options.columnNames ?? sameName;
  const given = (entitiesKey in definitions ? definitions[entitiesKey] : definitions) as AnyDefinitions;
  const flat = flatDefinitions(given, columnNames);
  const mistakes = [...pathMistakes(given), ...mistakesOf(flat)];
  if (mistakes.length > 0) throw new GemachError("MODEL_INVALID", { mistakes });
  const drafts = new Map(Object.entries(given).map(([name, one]) => [name, draft(name, one, options)]));
  link(flat, drafts);
  const unruly = [...drafts.values()].flatMap((made) =>
    settleRules(made, (given[made.name] as EntityDefinition).options),
  );
  if (unruly.length > 0) throw new GemachError("MODEL_INVALID", { mistakes: unruly });
  const made = [...drafts.values()].map((resolved) => [
    resolved.name,
    Object.freeze({
      name: resolved.name,
      table: resolved.table,
      newRowSchema: rowSchema(resolved, false),
      partialRowSchema: rowSchema(resolved, true),
      [resolvedKey]: resolved,
    }),
  ]);
  return Object.freeze(Object.fromEntries(made));
}

/** What the model settled of an entity. @internal */
export function resolve(entity: { readonly [resolvedKey]: ResolvedEntity }): ResolvedEntity {
  return entity[resolvedKey];
}

/**
 * Resolves what a caller handed over.
 * @throws GemachError `ENTITY_EXPECTED`
 * @internal
 */
export function entityIn(given: unknown, call: string): ResolvedEntity {
  if (!isEntity(given)) throw new GemachError("ENTITY_EXPECTED", { call, got: typeWord(given) });
  return resolve(given);
}

/** What the model settled of each of its entities. @internal */
export function entitiesOf(model: Readonly<Record<string, unknown>>): readonly ResolvedEntity[] {
  return Object.values(model).filter(isEntity).map(resolve);
}

/** Whether a value is a model. @internal */
export function isModel(value: unknown): value is Readonly<Record<string, unknown>> {
  return typeof value === "object" && value !== null && Object.values(value).every(isEntity);
}

/** Whether a value is an entity of a model. @internal */
export function isEntity(value: unknown): value is { readonly [resolvedKey]: ResolvedEntity } {
  return typeof value === "object" && value !== null && resolvedKey in value;
}
