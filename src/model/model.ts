import { GemachError } from "../errors/index.js";
import { mistakesOf } from "./check.js";
import type { Definitions, EntityDefinition, EntityName, NewRow, PlainRow } from "./entity.js";
import type { RelationFaults } from "./faults.js";
import { type NameConvention, sameName } from "./naming.js";
import type { KeyPair, ResolvedColumn, ResolvedEntity, ResolvedRelation } from "./resolved.js";
import { canonicalOf } from "./value-rules.js";

const resolvedKey: unique symbol = Symbol("gemach.resolved");
declare const definitionsOf: unique symbol;

/** An entity of a model: what queries start from. */
export interface Entity<D extends Definitions, E extends EntityName<D>> {
  readonly name: E;
  readonly table: string;
  /** @internal */
  readonly [resolvedKey]: ResolvedEntity;
  /** For the types only. @internal */
  readonly [definitionsOf]: D;
}

/** An application's entities with their relations, checked as a whole. */
export type Model<D extends Definitions> = { readonly [E in EntityName<D>]: Entity<D, E> };

/** in: the type of an entity of a model; out: its plain row. */
export type PlainRowOf<X> = X extends Entity<infer D, infer E> ? PlainRow<D, E> : never;

/** in: the type of an entity of a model; out: a row to be inserted. */
export type NewRowOf<X> = X extends Entity<infer D, infer E> ? NewRow<D, E> : never;

/** Settings of a model. */
export interface ModelOptions {
  /** Derives the column names that are not given with `named`; the default takes the property's name as it is. */
  readonly columnNames?: NameConvention;
}

/** An entity under construction: relations are filled in once all entities are there. */
interface Draft extends ResolvedEntity {
  readonly columns: Map<string, ResolvedColumn>;
  readonly relations: Map<string, ResolvedRelation>;
}

function draft(name: string, { table, columns }: EntityDefinition, columnNames: NameConvention): Draft {
  const resolved = new Map(
    Object.entries(columns).map(([property, { facts }]): [string, ResolvedColumn] => [
      property,
      {
        entity: name,
        property,
        name: facts.columnName ?? columnNames(property),
        kind: facts.type.kind,
        type: facts.type,
        isNullable: facts.traits.has("nullable"),
        isKey: facts.traits.has("key"),
        isUnique: facts.traits.has("unique"),
        isHeavy: facts.traits.has("heavy"),
        defaultValue: facts.defaultValue === undefined ? undefined : canonicalOf(facts.defaultValue, facts.type),
        initial: facts.initial,
      },
    ]),
  );
  const key = [...resolved.values()].filter((column) => column.isKey);
  return { name, table, columns: resolved, key, relations: new Map() };
}

function pairsOf(source: Draft, target: Draft, cardinality: "one" | "many", by: readonly string[]): readonly KeyPair[] {
  const [holder, owner] = cardinality === "one" ? [source, target] : [target, source];
  return by.flatMap((property, i) => {
    const held = holder.columns.get(property);
    const key = owner.key[i];
    if (held === undefined || key === undefined) return [];
    return [cardinality === "one" ? { from: held, to: key } : { from: key, to: held }];
  });
}

function link(definitions: Definitions, drafts: ReadonlyMap<string, Draft>): void {
  for (const source of drafts.values()) {
    for (const [name, relation] of Object.entries(definitions[source.name]?.relations ?? {})) {
      const target = drafts.get(relation.target);
      if (target === undefined) continue;
      const pairs = pairsOf(source, target, relation.cardinality, relation.by);
      source.relations.set(name, {
        name,
        cardinality: relation.cardinality,
        source,
        target,
        pairs,
        mayBeMissing: relation.cardinality === "one" && pairs.some((pair) => pair.from.isNullable),
        strategy: relation.strategy,
      });
    }
  }
}

/**
 * Makes one value of all entities of an application. Relations name their targets by string, so
 * that entities can refer to each other freely.
 * @throws GemachError `MODEL_INVALID` with every mistake, a line each.
 */
export function model<const D extends Definitions>(
  definitions: D & RelationFaults<D>,
  options: ModelOptions = {},
): Model<D> {
  const columnNames = options.columnNames ?? sameName;
  const mistakes = mistakesOf(definitions, columnNames);
  if (mistakes.length > 0) throw new GemachError("MODEL_INVALID", { mistakes });
  const drafts = new Map(Object.entries(definitions).map(([name, given]) => [name, draft(name, given, columnNames)]));
  link(definitions, drafts);
  const entities = [...drafts.values()].map((resolved) => [
    resolved.name,
    Object.freeze({ name: resolved.name, table: resolved.table, [resolvedKey]: resolved }),
  ]);
  return Object.freeze(Object.fromEntries(entities)) as Model<D>;
}

/** What the model settled of an entity. @internal */
export function resolve(entity: { readonly [resolvedKey]: ResolvedEntity }): ResolvedEntity {
  return entity[resolvedKey];
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
