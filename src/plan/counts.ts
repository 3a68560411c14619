import { aggregated } from "../expression/index.js";
import {
  allOf,
  type Node,
  type Path,
  pathTo,
  type QueryState,
  type ReachedRelation,
  type ResolvedRelation,
  type Step,
  setAlong,
} from "../ir/index.js";
import { totalOrder } from "./order.js";
import { keySlots, type RowsBuilder, type StatementBuilder, unfit } from "./statement-builder.js";
import type { Shape } from "./statement-plan.js";

const integer = { kind: "integer" } as const;

/** The number of the rows at the end of a relation. */
function countOf(relation: Pick<ResolvedRelation, "steps">, query: QueryState, path: Path): Node {
  const { source, where, limit, offset } = query;
  const set = { ...setAlong(path, relation), source, where, orderBy: totalOrder(query), limit, offset };
  return { kind: "aggregate", set, ...aggregated("count") };
}

/** The number of a relation's rows, in place of them. */
export const shapeOfCount = (
  builder: StatementBuilder,
  relation: ResolvedRelation,
  query: QueryState,
  path: Path,
): Shape => ({
  kind: "value",
  slot: builder.slots.output(countOf(relation, query, path)),
  type: integer,
  isNullable: false,
});

/** A step from rows to themselves, by the columns from which another goes out. */
const itself = (step: Step): Step => ({
  ...step,
  cardinality: "one",
  target: step.source,
  pairs: step.pairs.map(({ from }) => ({ from, to: from })),
  conditions: [],
  order: [],
});

/**
 * The numbers of a relation's rows for rows in memory: counted from their own rows, or from those that they lead to.
 */
export function planRelatedCount(
  builder: StatementBuilder,
  rows: RowsBuilder,
  { relation, query }: ReachedRelation,
  path: Path,
  at: readonly string[],
): Shape {
  const { name, cardinality, steps } = relation;
  if (cardinality === "one") throw unfit(relation, "counted(), and leads to one row,");
  const [first, ...others] = steps;
  const isOn = first.cardinality === "one";
  const step = isOn ? first : itself(first);
  const source = { entity: step.target };
  const counted = countOf({ steps: isOn ? (others as [Step, ...Step[]]) : steps }, query, pathTo(source));
  const statement = builder.planFollowUp(
    { ...allOf(source), projection: { kind: "value", node: counted } },
    undefined,
    {
      purpose: `numbers of ${relation.source.name}.${name}`,
      relation: `${relation.source.name}.${name}`,
      ownerSteps: [step],
      ordered: false,
    },
  );
  const keyColumns = step.pairs.map((pair) => pair.from);
  const keys = keySlots(builder, path, keyColumns);
  rows.followUps.push({ at, property: name, cardinality: "count", keys, keyColumns, statement });
  return { kind: "related", cardinality: "count" };
}
