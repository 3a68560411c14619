import { derived, derivedByName, kinds } from "../columns/index.js";
import type { OutsideRule, ResolvedColumn, ResolvedEntity, ResolvedRelation } from "../ir/index.js";
import type { Cohort, LiveKind, LiveObject, LiveState, Properties } from "../live/index.js";
import type { CallSite, Compiler, Context, readHiddenChecks, VerbOrigin, WrittenPlan } from "../run/index.js";
import { liveKind } from "./live-kind.js";

/** Settings of a unit of work. */
export interface UnitSettings {
  readonly outside: OutsideRule;
  /** The most entities that a lazy read loads for. */
  readonly cohort: number;
  /** Whether a query writes first what it might miss. */
  readonly flushes: boolean;
}

/** One unit of work: its entities, and where its statements go. */
export interface Unit {
  readonly context: Context;
  readonly settings: UnitSettings;
  readonly properties: Properties;
  /** The entities of the database by entity and key: never two of one row. */
  readonly maps: Map<ResolvedEntity, Map<unknown, LiveObject>>;
  /** Stands for the cohort of entities that are not written yet: nothing is loaded for them. */
  readonly fresh: Cohort;
  /** Those to be inserted, and to be deleted. */
  readonly added: Set<LiveObject>;
  readonly removed: Set<LiveObject>;
  /** Those with columns that wait for the key of another one. */
  readonly waiting: Set<LiveObject>;
  /** Loaded relations over several steps, by the entities on their way: changes of those put them out of date. */
  readonly distant: Map<ResolvedEntity, Map<LiveObject, Set<string>>>;
  /** Removed entities whose rows are deleted, although their entity says that they are only marked. */
  readonly forGood: Set<LiveObject>;
  /** Of removed entities the owners that they go with. */
  readonly goneWith: Map<LiveObject, LiveObject>;
  /** Entities whose version is to be raised, since what belongs to them changes. */
  readonly touched: Set<LiveObject>;
  /** Entities that lack columns that are not heavy: what has brought them named others. */
  readonly partial: Set<LiveObject>;
  /** Makes checks of what is referred to; undefined: the handle gives no values, or nothing was written yet. */
  hiddenCheck: Awaited<ReturnType<typeof readHiddenChecks>> | undefined;
  /** What is being written, for an error of it to name the entity. */
  writing: WrittenPlan | undefined;
  isEnded: boolean;
  /** Whether any entity was forgotten: what is loaded may have it still. */
  forgets: boolean;
  /** Writes what is not written yet, as far as an entity of these is concerned; undefined: any. */
  flushFor(entities: () => ReadonlySet<ResolvedEntity> | undefined): Promise<void>;
}

const liveKinds = derivedByName<Compiler, ResolvedEntity, LiveKind>();

/** What live entities of an entity are; `sample`: a plain row of it. */
export const kindOf = (
  { context: { compiler }, properties }: Unit,
  entity: ResolvedEntity,
  sample: LiveObject,
): LiveKind => liveKinds(compiler, entity, () => liveKind(entity, properties, compiler.generatesCode, sample));

/** The entities of one entity, by key. */
export function mapOf({ maps }: Unit, entity: ResolvedEntity): Map<unknown, LiveObject> {
  let map = maps.get(entity);
  if (map === undefined) {
    map = new Map();
    maps.set(entity, map);
  }
  return map;
}

export const unitOf = (state: LiveState): Unit => state.unit as Unit;

export const newCohort = (at: CallSite | undefined): Cohort => ({ members: [], loading: new Map(), at });

/** What a statement of the unit of work's own is for. */
export const ownOrigin = (verb: string, at: CallSite | undefined): VerbOrigin => ({ verb, query: undefined, at });

/** Whether a relation is over one key, without conditions: what setting it means is clear. */
export const isDirect = ({ steps }: ResolvedRelation): boolean =>
  steps.length === 1 && steps[0].conditions.length === 0;

/** Whether the key of a to-one relation stands in the entity itself. */
export const isOurs = (relation: ResolvedRelation): boolean =>
  isDirect(relation) && relation.cardinality === "one" && relation.steps[0].holder === "source";

/** The to-one relations whose keys stand in an entity itself. */
export const ownRelations = derived((entity: ResolvedEntity): readonly ResolvedRelation[] =>
  [...entity.relations.values()].filter(isOurs),
);

/** Whether equal keys are equal values in code too. */
export const isSameInCode = ({ kind, type }: ResolvedColumn): boolean =>
  kinds[kind].isKeyedByBytes && type.codec === undefined;

/** The relations of the target that are the same key, seen from the other side. */
export const mirrorsOf = derived((relation: ResolvedRelation): readonly ResolvedRelation[] => {
  const { pairs } = relation.steps[0];
  if (!isDirect(relation)) return [];
  return [...relation.target.relations.values()].filter(
    (other) =>
      isDirect(other) &&
      other.target === relation.source &&
      other.steps[0].pairs.length === pairs.length &&
      other.steps[0].pairs.every(
        (pair, i) => pair.from.property === pairs[i]?.to.property && pair.to.property === pairs[i]?.from.property,
      ),
  );
});
