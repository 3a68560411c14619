import {
  entitiesAround,
  type Node,
  type QueryState,
  type ResolvedColumn,
  type ResolvedEntity,
  type ResolvedRelation,
} from "../ir/index.js";
import type { SentStatement } from "../run/index.js";
import { valuesText } from "../run/index.js";
import { type Finder, groupsOf, isRead, many, placeOf, queryOf, siteAndText } from "./finding.js";

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

/** Relations over one key that lead to rows of an entity by these columns. */
function relationsBy(entity: ResolvedEntity, columns: readonly ResolvedColumn[]): readonly ResolvedRelation[] {
  return entitiesAround([entity]).flatMap((other) =>
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
function remedyOf(statement: SentStatement): string {
  const { origin } = statement;
  const { verb, relation } = origin;
  if (verb === "lazy read" && relation !== undefined) {
    const [entity, name] = relation.split(".") as [string, string];
    return `Leave { cohort } out, so that one read loads for all entities that came together; or bring it along: from(${entity}).reach({ ${name}: true }).`;
  }
  const state = queryOf(statement);
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
export const findRepeats: Finder = ({ statements, thresholds: { loop } }) =>
  groupsOf(statements.filter(isRead), siteAndText)
    .filter((group) => group.length >= loop && new Set(group.map(valuesText)).size > 1)
    .map((group) => {
      const first = group[0] as SentStatement;
      const { at, entity } = first.origin;
      const rows = group.reduce((sum, one) => sum + one.rows, 0);
      return {
        kind: "repeat",
        severity: "warning",
        evidence: `${many(group.length)} statements for ${entity ?? "rows"}${placeOf(at)}, each with other values: ${many(rows)} rows in all, where one or two statements would do.`,
        remedy: remedyOf(first),
        at,
        statements: group,
      };
    });
