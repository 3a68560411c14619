import { checked } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  allOf,
  columnAt,
  type Node,
  type Path,
  pathTo,
  qualified,
  type ResolvedRelation,
  type SetNode,
  type Source,
  type Step,
  valueAt,
  valueNode,
} from "../ir/index.js";
import {
  type Definitions,
  type Entity,
  type EntityName,
  entityIn,
  type PlainRow,
  type RelationsOf,
  type TargetOf,
} from "../model/index.js";
import { builtQuery } from "./query.js";
import { inOwnOrder } from "./query-parts.js";
import type { EntityQuery, ReachKeys } from "./query-types.js";

/** A step seen from its other end. */
const reversed = (step: Step): Step => ({
  ...step,
  source: step.target,
  target: step.source,
  pairs: step.pairs.map(({ from, to }) => ({ from: to, to: from })),
  holder: step.holder === "source" ? "target" : "source",
  cardinality: "many",
  mayBeMissing: true,
  isOwning: false,
  conditions: [],
  order: [],
});

/** What a relation asks of the rows at the end of one of its steps. */
const conditionsAt = (path: Path, { conditions }: Step): readonly Node[] =>
  conditions.map(({ column, value }) => {
    const node = columnAt(path, column);
    return value === null
      ? { kind: "isNull", operand: node }
      : { kind: "compare", comparison: "equal", left: node, right: valueNode(value, column.type) };
  });

/** Whether the columns that a relation's first step leads to hold the key of one of the rows. */
function ofRows(path: Path, { pairs }: Step, rows: readonly object[]): Node {
  const keys = rows.flatMap((row) => {
    const key = pairs.map(({ from }) => {
      const value = valueAt(row, from.steps);
      if (value === undefined) throw new GemachError("ROW_KEYLESS", { call: "along", column: qualified(from) });
      return value === null ? null : checked(value, from.type, qualified(from));
    });
    return key.includes(null) ? [] : [key];
  });
  const operands = pairs.map(({ to }) => columnAt(path, to));
  const [operand, ...more] = operands as [Node, ...Node[]];
  if (more.length > 0) return { kind: "inRows", operands, rows: keys };
  const [key] = keys;
  const [{ from }] = pairs as readonly [Step["pairs"][number]];
  return keys.length === 1 && key !== undefined
    ? { kind: "compare", comparison: "equal", left: operand, right: valueNode(key[0] as never, from.type) }
    : { kind: "oneOf", operand, values: keys.map(([value]) => value as never) };
}

/** The conditions for the rows that a relation leads to from some rows. */
function conditionsFor(source: Source, { steps }: ResolvedRelation, rows: readonly object[]): readonly Node[] {
  const [first, ...others] = steps;
  const last = steps.at(-1) as Step;
  const path = pathTo(source);
  if (others.length === 0) return [ofRows(path, first, rows), ...conditionsAt(path, first)];
  // From the row back to where the relation begins: a row that several ways lead to is one row.
  let set: Path | SetNode = path;
  for (let i = steps.length - 1; i >= 1; i--) {
    const step = steps[i] as Step;
    const before = steps[i - 1] as Step;
    const inner: Source = { entity: step.source };
    const at = pathTo(inner);
    const where = [...(i === 1 ? [ofRows(at, first, rows)] : []), ...conditionsAt(at, before)];
    set = { source: inner, step: reversed(step), from: set, where, orderBy: [], limit: undefined, offset: undefined };
  }
  return [{ kind: "exists", set: set as SetNode }, ...conditionsAt(path, last)];
}

/**
 * The rows of a relation of rows in hand, as a query: of one plain row or live entity, or of many. It can be narrowed,
 * ordered, counted and sent like any other. The rows need the columns that the relation goes out from.
 * @throws GemachError `NAME_UNKNOWN`, `ROW_KEYLESS`
 */
export function along<
  D extends Definitions<D>,
  E extends EntityName<D>,
  const P extends keyof RelationsOf<D, E> & string,
  R extends ReachKeys<D, E, { readonly [N in P]: true }>,
>(
  entity: Entity<D, E>,
  rowOrRows: R | readonly R[],
  relation: P,
): EntityQuery<D, TargetOf<D, E, RelationsOf<D, E>[P]>, PlainRow<D, TargetOf<D, E, RelationsOf<D, E>[P]>>> {
  const resolved = entityIn(entity, "along");
  const found = resolved.relations.get(relation);
  if (found === undefined)
    throw new GemachError("NAME_UNKNOWN", {
      entity: resolved.name,
      name: relation,
      known: [...resolved.relations.keys()],
    });
  const rows = (Array.isArray(rowOrRows) ? rowOrRows : [rowOrRows]) as readonly object[];
  const source = { entity: found.target };
  const state = { ...allOf(source), where: conditionsFor(source, found, rows) };
  return builtQuery(inOwnOrder(state, found)) as never;
}
