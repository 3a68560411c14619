import type { Node, QueryState, ResolvedColumn, ResolvedEntity, ResolvedRelation } from "../../expression/index.js";
import { stateOf } from "../../query/index.js";
import type { SentStatement } from "../../run/index.js";
import { type Finder, groupsOf, isRead, placeOf, valuesText } from "./finding.js";

/** From so many on, reads of one text by one line of code are a loop. */
const least = 5;

/** The columns of a query's own rows that are compared with one value each. */
const comparedIn = ({ where, source }: QueryState): readonly ResolvedColumn[] =>
  where.flatMap((node: Node) =>
    node.kind === "compare" &&
    node.comparison === "equal" &&
    node.left.kind === "column" &&
    node.left.path.source === source &&
    node.left.path.steps.length === 0
      ? [node.left.column]
      : [],
  );

/** Every entity that relations lead to, from one on. */
function entitiesAround(start: ResolvedEntity): readonly ResolvedEntity[] {
  const found = new Set([start]);
  for (const entity of found)
    for (const { steps } of entity.relations.values()) for (const { target } of steps) found.add(target);
  return [...found];
}

/** Relations over one key that lead to rows of an entity by these columns. */
function relationsBy(entity: ResolvedEntity, columns: readonly ResolvedColumn[]): readonly ResolvedRelation[] {
  return entitiesAround(entity).flatMap((other) =>
    [...other.relations.values()].filter(
      ({ steps: [step, ...more] }) =>
        more.length === 0 &&
        step.target === entity &&
        step.conditions.length === 0 &&
        step.pairs.every(({ to }) => columns.includes(to)),
    ),
  );
}

const reachText = ({ source, name }: Pick<ResolvedRelation, "source" | "name">): string =>
  `from(${source.name}).reach({ ${name}: true })`;

/** What to write in place of a loop. */
function remedyOf({ origin }: SentStatement): string {
  const { verb, query, relation } = origin;
  if (verb === "lazy read" && relation !== undefined) {
    const [entity, name] = relation.split(".") as [string, string];
    return `Leave { cohort } out, so that one read loads for all entities that came together; or bring it along: from(${entity}).reach({ ${name}: true }).`;
  }
  const state = query === undefined ? undefined : stateOf(query, "withLedger");
  const columns = state === undefined ? [] : comparedIn(state);
  const [column] = columns;
  if (state === undefined || column === undefined)
    return "Ask for all of them at once: by a reach, by a set inside of a select, or by oneOf(keys).";
  const { entity } = state.source;
  const ways = relationsBy(entity, columns).slice(0, 3).map(reachText);
  const listed = `from(${entity.name}).where((r) => r.${column.property}.oneOf(keys))`;
  return `Bring the rows along with those that the loop is over: ${[...ways, listed].join(", or ")}.`;
}

/** The N+1 pattern: a line of code that reads in a loop, each time with other values. */
export const findRepeats: Finder = (statements) =>
  groupsOf(
    statements.filter(isRead),
    ({ text, origin: { verb, at } }) => `${verb} ${at?.file}:${at?.line}:${at?.column} ${text}`,
  )
    .filter((group) => group.length >= least && new Set(group.map(valuesText)).size > 1)
    .map((group) => {
      const first = group[0] as SentStatement;
      const { at, entity } = first.origin;
      const rows = group.reduce((sum, one) => sum + one.rows, 0);
      return {
        kind: "repeat",
        evidence: `${group.length} statements for ${entity ?? "rows"}${placeOf(at)}, each with other values: ${rows} rows in all, where one or two statements would do.`,
        remedy: remedyOf(first),
        at,
        statements: group,
      };
    });
