import { canonicalOf } from "../columns/index.js";
import type {
  KeyPair,
  Node,
  OwnCondition,
  ResolvedColumn,
  ResolvedEntity,
  ResolvedRelation,
  Step,
} from "../ir/index.js";
import { type FlatDefinition, type FlatDefinitions, keyOf, linkStep } from "./check-relation.js";
import type { Conditions, Relation } from "./relation.js";
/** An entity under construction: relations are filled in once all entities are there. */
export interface EntityBuilder extends ResolvedEntity {
  readonly columns: Map<string, ResolvedColumn>;
  readonly relations: Map<string, ResolvedRelation>;
  readonly checks: Map<string, Node>;
  readonly computations: Map<ResolvedColumn, Node>;
}

/** What linking works with: definitions that were found to be right, and a draft for each. */
interface Linking {
  readonly definitions: FlatDefinitions;
  readonly builders: ReadonlyMap<string, EntityBuilder>;
}

const builderOf = ({ builders }: Linking, name: string): EntityBuilder => builders.get(name) as EntityBuilder;
const definitionOf = ({ definitions }: Linking, name: string): FlatDefinition => definitions[name] as FlatDefinition;

/** Conditions on columns, which were found to be right. */
export const conditionsOf = (when: Conditions, columns: ReadonlyMap<string, ResolvedColumn>): readonly OwnCondition[] =>
  Object.entries(when).map(([property, value]) => {
    const column = columns.get(property) as ResolvedColumn;
    return { column, value: value === null ? null : (canonicalOf(value, column.type) ?? null) };
  });

function pairsOf(
  linking: Linking,
  source: EntityBuilder,
  target: EntityBuilder,
  { holder, by, rules }: Relation,
): readonly KeyPair[] {
  const isOurs = holder === "source";
  const [held, owner] = isOurs ? [source, target] : [target, source];
  const referred = rules.to === undefined ? keyOf(definitionOf(linking, owner.name)) : [rules.to].flat();
  return by.map((property, i) => {
    const key = owner.columns.get(referred[i] as string) as ResolvedColumn;
    const column = held.columns.get(property) as ResolvedColumn;
    return isOurs ? { from: column, to: key } : { from: key, to: column };
  });
}

/** Whether rows of an entity may be hidden, so that a key may lead to none. */
const isHidden = ({ standing, through }: ResolvedEntity): boolean => standing.length > 0 || through.length > 0;

function stepOf(linking: Linking, source: EntityBuilder, name: string, relation: Relation): Step {
  const target = builderOf(linking, relation.target);
  const pairs = pairsOf(linking, source, target, relation);
  const { when = {}, order = {}, constraint = true, onDelete = "no action", onUpdate = "no action" } = relation.rules;
  const column = (property: string) => target.columns.get(property) as ResolvedColumn;
  return {
    name,
    cardinality: relation.cardinality,
    holder: relation.holder,
    source,
    target,
    pairs,
    mayBeMissing:
      relation.cardinality === "one" &&
      (relation.isLoose || isHidden(target) || pairs.some((pair) => pair.from.isNullable)),
    conditions: conditionsOf(when, target.columns),
    order: Object.entries(order).map(([property, way]) => ({ column: column(property), descending: way === "desc" })),
    isBacked: constraint !== false,
    onDelete,
    onUpdate,
    isIndexed: relation.rules.index !== false,
    isTrusted: constraint === "trusted",
    isOwning: relation.rules.owns === true,
    isGuarding: relation.rules.guards === true,
    isRequired: relation.isRequired || (relation.cardinality === "one" && !relation.isLoose && !isHidden(target)),
  };
}

/** The steps of a relation; those of a link lead to its rows and on to the target. */
function stepsOf(linking: Linking, source: EntityBuilder, name: string): readonly Step[] {
  const relation = definitionOf(linking, source.name).relations[name];
  if (relation === undefined) return [];
  switch (relation.kind) {
    case "key":
      return [stepOf(linking, source, name, relation)];
    case "link": {
      const link = definitionOf(linking, relation.by);
      const [up, on] = [
        linkStep(link, source.name, relation.options.from),
        linkStep(link, relation.target, relation.options.to),
      ];
      const linkDraft = builderOf(linking, relation.by);
      const back = stepOf(linking, linkDraft, up as string, link.relations[up as string] as Relation);
      const down: Step = {
        ...back,
        name: linkDraft.table,
        cardinality: "many",
        holder: "target",
        source,
        target: linkDraft,
        pairs: back.pairs.map(({ from, to }) => ({ from: to, to: from })),
        mayBeMissing: false,
        isRequired: false,
        isTrusted: false,
        isOwning: false,
        isGuarding: false,
        conditions: [],
        order: [],
      };
      return [down, stepOf(linking, linkDraft, on as string, link.relations[on as string] as Relation)];
    }
    case "route": {
      const steps: Step[] = [];
      let at: ResolvedEntity = source;
      for (const part of relation.steps) {
        steps.push(...stepsOf(linking, builderOf(linking, at.name), part));
        at = steps.at(-1)?.target ?? at;
      }
      return steps;
    }
    default:
      return relation satisfies never;
  }
}

/** Settles the relations of all drafts. */
export function link(definitions: FlatDefinitions, builders: ReadonlyMap<string, EntityBuilder>): void {
  const linking: Linking = { definitions, builders };
  for (const source of builders.values()) {
    for (const [name, relation] of Object.entries(definitionOf(linking, source.name).relations)) {
      const steps = stepsOf(linking, source, name) as readonly [Step, ...Step[]];
      source.relations.set(name, {
        name,
        cardinality: steps.every((step) => step.cardinality === "one") ? "one" : "many",
        source,
        target: (steps.at(-1) as Step).target,
        steps,
        strategy: relation.strategy,
      });
    }
  }
}
