import { type ResolvedEntity, type ResolvedRelation, toolError } from "gemach/tooling";
import { entitiesIn } from "./entities.js";
import type { Project } from "./load.js";

/** A column on the map of a model. */
export interface MapColumn {
  readonly name: string;
  readonly kind: string;
  readonly isKey: boolean;
  /** Whether it holds a key of another entity. */
  readonly isHeld: boolean;
  readonly isNullable: boolean;
}

/** An entity on the map. */
export interface MapEntity {
  readonly name: string;
  readonly table: string;
  readonly columns: readonly MapColumn[];
}

/** A key that leads from one entity to another, and the relations that go over it, there and back. */
export interface MapRelation {
  readonly from: string;
  readonly to: string;
  /** The relation to the one row, and that back. */
  readonly name: string;
  readonly back: string | undefined;
  /** Whether the key may be missing, or lead nowhere. */
  readonly mayBeMissing: boolean;
  /** Whether only one row has the key. */
  readonly isOne: boolean;
  /** How each is fetched where a query does not say. */
  readonly how: string;
  readonly backHow: string | undefined;
}

/** A model, or a part of it, as a graph. */
export interface ModelMap {
  readonly entities: readonly MapEntity[];
  readonly relations: readonly MapRelation[];
}

const howOf = ({ strategy, cardinality }: ResolvedRelation): string =>
  strategy !== undefined && strategy !== "auto" ? strategy : cardinality === "one" ? "join" : "batch";

const isKeyRelation = ({ steps }: ResolvedRelation): boolean => steps.length === 1;

/** The relations of an entity whose key stands in it. */
function heldOf(entity: ResolvedEntity): readonly MapRelation[] {
  return [...entity.relations.values()].filter(isKeyRelation).flatMap((relation): readonly MapRelation[] => {
    const [step] = relation.steps;
    if (step.holder !== "source") return [];
    const columns = JSON.stringify(step.pairs.map(({ from }) => from.name));
    const back = [...step.target.relations.values()].filter(isKeyRelation).find(({ steps: [other] }) => {
      const isPlain = other.holder === "target" && other.target === entity && other.conditions.length === 0;
      return isPlain && JSON.stringify(other.pairs.map(({ to }) => to.name)) === columns;
    });
    return [
      {
        ...{ from: entity.name, to: step.target.name, name: relation.name, back: back?.name },
        ...{ mayBeMissing: step.mayBeMissing, isOne: back?.cardinality === "one", how: howOf(relation) },
        backHow: back === undefined ? undefined : howOf(back),
      },
    ];
  });
}

function entityOf(entity: ResolvedEntity): MapEntity {
  const held = new Set(
    [...entity.relations.values()]
      .filter(isKeyRelation)
      .flatMap(({ steps: [step] }) => (step.holder === "source" ? step.pairs.map(({ from }) => from) : [])),
  );
  return {
    name: entity.name,
    table: entity.schema === undefined ? entity.table : `${entity.schema}.${entity.table}`,
    columns: [...entity.columns.values()].map((column) => ({
      ...{ name: column.property, kind: column.kind, isKey: column.isKey },
      ...{ isHeld: held.has(column), isNullable: column.isNullable },
    })),
  };
}

/** Entities that are no more than so many steps away from one. */
function near(relations: readonly MapRelation[], around: string, steps: number): ReadonlySet<string> {
  let reached = new Set([around]);
  for (let i = 0; i < steps; i++) {
    const next = new Set(reached);
    for (const { from, to } of relations) {
      if (reached.has(from)) next.add(to);
      if (reached.has(to)) next.add(from);
    }
    reached = next;
  }
  return reached;
}

/**
 * A project's model as a graph: the whole, or what is within some steps of an entity.
 * @throws GemachError `MODEL_NEEDED`, `ENTITY_UNKNOWN`
 */
export function modelMap(project: Pick<Project, "model">, around?: string, steps = 1): ModelMap {
  const entities = entitiesIn(project);
  if (entities.length === 0) throw toolError("MODEL_NEEDED", {});
  const known = entities.map(({ name }) => name);
  if (around !== undefined && !known.includes(around)) throw toolError("ENTITY_UNKNOWN", { name: around, known });
  const relations = entities.flatMap(heldOf);
  const shown = around === undefined ? new Set(known) : near(relations, around, steps);
  return {
    entities: entities.filter(({ name }) => shown.has(name)).map(entityOf),
    relations: relations.filter(({ from, to }) => shown.has(from) && shown.has(to)),
  };
}
