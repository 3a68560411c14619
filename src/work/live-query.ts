import { derived, derivedByName } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { expectKey, type QueryState, type ReachedRelation, type ResolvedEntity } from "../ir/index.js";
import { versionOf } from "./version.js";

/** The columns that an entity is kept by: of its key, of the keys of its relations, and its version. */
function columnsToTrack(entity: ResolvedEntity): ReadonlySet<string> {
  const names = new Set(entity.key.map(({ steps }) => steps[0] as string));
  for (const { steps } of entity.relations.values())
    for (const { from } of steps[0].pairs) names.add(from.steps[0] as string);
  const version = versionOf(entity);
  if (version !== undefined) names.add(version.steps[0] as string);
  return names;
}

/** The columns that rows have which become live entities: those asked for, and those that the entity is kept by. */
function columnsFor({ source: { entity }, columns }: QueryState): readonly string[] | undefined {
  const needed = columnsToTrack(entity);
  const isLeftOut = (name: string) => {
    const member = entity.members.get(name);
    return member !== undefined && !("fields" in member) && member.isHeavy;
  };
  if (columns === undefined && entity.make === undefined && ![...needed].some(isLeftOut)) return undefined;
  const asked = columns ?? [...entity.members.keys()].filter((name) => !isLeftOut(name));
  return [...entity.members.keys()].filter((name) => asked.includes(name) || needed.has(name));
}

/** Whether a reached relation brings all of its rows as they are, so that it can stand for the relation itself. */
function refusePart({ relation, query }: ReachedRelation): void {
  const { where, limit, offset, cursor, projection, isCounted, levels } = query;
  const isWhole =
    where.length === 0 &&
    limit === undefined &&
    offset === undefined &&
    cursor === undefined &&
    projection === undefined &&
    levels === undefined &&
    !isCounted;
  if (!isWhole) throw new GemachError("REACH_PARTIAL", { entity: relation.source.name, relation: relation.name });
}

function liveReach(reached: ReachedRelation): ReachedRelation {
  refusePart(reached);
  const query = liveQuery(reached.query);
  return query === reached.query ? reached : { ...reached, query };
}

/** Whether a query's rows are those of an entity, and so become live. */
export const isLive = ({ projection, groupBy, joins, source }: QueryState): boolean =>
  projection === undefined && groupBy === undefined && joins.length === 0 && source.entity.derivation === undefined;

/**
 * The query that brings what live entities need; the same one for the same query.
 * @throws GemachError `REACH_PARTIAL`, `KEY_MISSING`
 */
export const liveQuery: (query: QueryState) => QueryState = derived((query: QueryState) => {
  if (!isLive(query)) return query;
  expectKey(query.source.entity, "A unit of work");
  const reach = query.reach.map(liveReach);
  const columns = columnsFor(query);
  const isSame =
    columns?.join("\u0000") === query.columns?.join("\u0000") && reach.every((one, i) => one === query.reach[i]);
  return isSame ? query : liveOf(query, columns, reach);
});

function liveOf(
  query: QueryState,
  columns: readonly string[] | undefined,
  reach: readonly ReachedRelation[],
): QueryState {
  const changed = { columns, reach, memo: { isUsed: true } };
  const { given } = query;
  const template = given === undefined ? undefined : liveTemplate(given.template, columns, reach);
  return {
    ...query,
    ...changed,
    given: given === undefined || template === undefined ? undefined : { ...given, template },
  };
}

/** A template's own query is the same for all that it is run with. */
function liveTemplate(
  template: QueryState,
  columns: readonly string[] | undefined,
  reach: readonly ReachedRelation[],
): QueryState {
  return liveTemplates(template, "", () => ({ ...template, columns, reach, memo: { isUsed: true } }));
}

const liveTemplates = derivedByName<QueryState, string, QueryState>();
