import {
  matchCalls,
  type Node,
  type OrderNode,
  type Path,
  type Projection,
  type QueryState,
  type ReachedRelation,
  type SetNode,
  type Source,
} from "../expression/index.js";
import type { DeletePlan, UpdatePlan } from "../plan/index.js";
import type { ShapePlace } from "./shape-tree.js";
import { type ListNode, sizeOf, type ValueNode, type Values } from "./shape-values.js";

/** What a query is but for its values: queries of one shape are one statement. */
export interface Shape<Kept> {
  /** The same for queries of one entity that differ in nothing but values. */
  readonly place: ShapePlace<Kept>;
  readonly values: Values;
}

// What follows goes from place to place, a word for each thing that sets queries apart, and as many as were said before where there may be
// several: so two shapes never come to one place. It is undefined for what only a whole compilation knows how to say.
type From = ShapePlace<unknown>;
type Place = From | undefined;
/** The values that were met, and the sources that a column may be of: the query's own, and those of sets around it. */
interface Told {
  readonly values: (ValueNode | ListNode)[];
  readonly sources: readonly Source[];
}

function atPath(from: From, { source, steps }: Path, { sources }: Told): Place {
  const number = sources.indexOf(source);
  if (number < 0) return undefined;
  let at = from.at(number);
  for (const step of steps) at = at.at(step);
  return at;
}

function atNode(from: From, node: Node, told: Told): Place {
  switch (node.kind) {
    case "column":
      return atPath(from, node.path, told)?.at(node.column);
    case "compare": {
      const { comparison, left, right } = node;
      const at = atNode(from.at(comparison), left, told);
      // A value has the type of the column that it is compared with: no other is told apart.
      if (right.kind === "value" && left.kind === "column" && right.type === left.column.type && !right.isConstant) {
        told.values.push(right);
        return at?.at("?");
      }
      return at === undefined ? undefined : atNode(at, right, told);
    }
    case "oneOf": {
      if ("hole" in node.values || node.operand.kind !== "column") return undefined;
      told.values.push(node as ListNode);
      return atNode(from.at("oneOf").at(sizeOf(node.values.length)), node.operand, told);
    }
    case "call": {
      const { call, operands } = node;
      const [text, part] = operands;
      if (!matchCalls.has(call) || text?.kind !== "column" || part?.kind !== "value") return undefined;
      told.values.push(part);
      return atNode(from.at(call), text, told);
    }
    case "isNull":
      return atNode(from.at("null"), node.operand, told);
    case "not":
      return atNode(from.at("not"), node.item, told);
    case "logic":
      return atNodes(from.at(node.operator), node.items, told);
    case "exists":
      return atSet(from.at("exists"), node.set, told);
    default:
      return undefined;
  }
}

/** Rows of a relation, which have conditions of their own. */
function atSet(from: From, set: SetNode, told: Told): Place {
  const { source, step, where, orderBy, limit, offset } = set;
  if (source.entity.derivation !== undefined || orderBy.length > 0) return undefined;
  const at = "step" in set.from ? atSet(from.at("of"), set.from, told) : atPath(from.at("in"), set.from, told);
  if (at === undefined) return undefined;
  const inside: Told = { values: told.values, sources: [...told.sources, source] };
  return atNodes(at.at("by").at(step).at(limit).at(offset), where, inside);
}

function atNodes(from: From, nodes: readonly Node[], told: Told): Place {
  let at: Place = from.at(nodes.length);
  for (const node of nodes) {
    at = atNode(at, node, told);
    if (at === undefined) return undefined;
  }
  return at;
}

function atOrder(from: From, orders: readonly OrderNode[], told: Told): Place {
  let at: Place = from.at(orders.length);
  for (const { node, descending, nulls } of orders) {
    if (node.kind !== "column") return undefined;
    at = atNode(at, node, told)?.at(descending).at(nulls);
    if (at === undefined) return undefined;
  }
  return at;
}

function atProjection(from: From, projection: Projection | undefined, told: Told): Place {
  if (projection === undefined) return from.at(undefined);
  if (projection.kind === "value") {
    const { node } = projection;
    return node.kind === "column" ? atNode(from.at("value"), node, told) : undefined;
  }
  if (projection.kind === "rows" || projection.presence !== undefined) return undefined;
  let at: Place = from.at(projection.fields.length);
  for (const [name, part] of projection.fields) {
    at = atProjection(at.at(name), part, told);
    if (at === undefined) return undefined;
  }
  return at;
}

function atReach(from: From, reach: readonly ReachedRelation[]): Place {
  let at: Place = from.at(reach.length);
  for (const { relation, query } of reach) {
    if (query.where.length > 0) return undefined;
    at = atState(at.at(relation), query, []);
    if (at === undefined) return undefined;
  }
  return at;
}

function atState(from: From, state: QueryState, values: Told["values"]): Place {
  const { source, where, orderBy, limit, offset, given, lock, cursor, joins, groupBy, having, reach, projection } =
    state;
  const { strategy, columns, isCounted, levels, lifted, isPlannedAnew } = state;
  if (given !== undefined || lock !== undefined || cursor !== undefined || groupBy !== undefined) return undefined;
  if (joins.length + having.length + lifted.length > 0 || levels !== undefined || isPlannedAnew) return undefined;
  const told: Told = { values, sources: [source] };
  let at = atNodes(from, where, told);
  if (at === undefined) return undefined;
  at = at.at(limit).at(offset).at(strategy).at(isCounted).at(columns?.length);
  if (columns !== undefined) for (const name of columns) at = at.at(name);
  at = atOrder(at, orderBy, told);
  if (at !== undefined) at = atReach(at, reach);
  return at === undefined ? undefined : atProjection(at, projection, told);
}

/** The shape of a query, for one use; undefined where it has something in it that only a whole compilation knows how to say. */
export function shapeOf<Kept>(root: ShapePlace<Kept>, use: string, state: QueryState): Shape<Kept> | undefined {
  const values: Told["values"] = [];
  const place = atState(root.at(use), state, values);
  return place && { place: place as ShapePlace<Kept>, values };
}

/** The shape of what a query's rows are changed by, or deleted; undefined where it cannot be told. */
export function changeShapeOf<Kept>(root: ShapePlace<Kept>, plan: UpdatePlan | DeletePlan): Shape<Kept> | undefined {
  if (plan.returning !== undefined) return undefined;
  const values: Told["values"] = [];
  let at: From = root.at(plan.kind);
  if (plan.kind === "update") {
    at = at.at(plan.set.length);
    for (const { column, value } of plan.set) {
      if (value.kind !== "value" || value.isConstant) return undefined;
      values.push(value);
      at = at.at(column);
    }
  }
  const place = atState(at, plan.query, values);
  return place && { place: place as ShapePlace<Kept>, values };
}
