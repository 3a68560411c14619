import type {
  AggregateDetails,
  CallNode,
  JoinNode,
  Node,
  OrderNode,
  Path,
  Projection,
  QueryState,
  RawNode,
  ReachedRelation,
  SetNode,
  Source,
} from "../expression/index.js";
import type { DeletePlan, UpdatePlan } from "../plan/index.js";
import { isOfFormula } from "../sql/index.js";
import type { ShapePlace } from "./shape-tree.js";
import { type ListNode, sizeOf, type Values } from "./shape-values.js";
import {
  atAgain,
  atAssigned,
  atKey,
  atSaid,
  atType,
  atValue,
  type From,
  type Place,
  type Told,
} from "./shape-words.js";

/** What a query is but for its values: queries of one shape are one statement. */
export interface Shape<Kept> {
  /** The same for queries of one entity that differ in nothing but values. */
  readonly place: ShapePlace<Kept>;
  readonly values: Values;
}

function atPath(from: From, { source, steps }: Path, { sources }: Told): Place {
  const number = sources.indexOf(source);
  if (number < 0) return undefined;
  let at = from.at(number);
  for (const step of steps) at = at.at(step);
  return at;
}

function atNode(from: From, node: Node, told: Told): Place {
  if (node.kind === "column") return atPath(from, node.path, told)?.at(node.column);
  const key = told.keys.length === 0 ? -1 : told.keys.indexOf(node);
  if (key >= 0) return atKey(from, key);
  switch (node.kind) {
    case "value":
      return atValue(from, node, told, false);
    case "compare": {
      const { comparison, left, right } = node;
      const at = atNode(from.at(comparison), left, told);
      if (at === undefined || right.kind !== "value") return at && atNode(at, right, told);
      return atValue(at, right, told, left.kind === "column" && right.type === left.column.type);
    }
    case "oneOf": {
      if ("hole" in node.values) return undefined;
      const known = told.values.indexOf(node as ListNode);
      if (known >= 0) return atAgain(from, known);
      told.values.push(node as ListNode);
      return atNode(from.at("oneOf").at(sizeOf(node.values.length)), node.operand, told);
    }
    case "call":
      return atCall(from, node, told);
    case "isNull":
      return atNode(from.at("null"), node.operand, told);
    case "not":
      return atNode(from.at("not"), node.item, told);
    case "logic":
      return atNodes(from.at(node.operator), node.items, told);
    case "case": {
      let at: Place = atType(from.at("case").at(node.branches.length).at(node.isNullable), node.type);
      for (const { when, value } of node.branches) {
        at = atNode(at, when, told);
        at = at && atNode(at, value, told);
        if (at === undefined) return undefined;
      }
      return atMaybe(at, node.otherwise, told);
    }
    case "exists":
      return atSet(from.at("exists"), node.set, told)?.at;
    case "aggregate": {
      const found = atSet(atType(from.at("aggregate").at(node.aggregate), node.type), node.set, told);
      const at = found && atMaybe(found.at, node.operand, found.inside);
      return at && atDetails(at, node.details, found.inside);
    }
    case "first": {
      const found = atSet(atType(from.at("first"), node.type), node.set, told);
      return found && atNode(found.at, node.operand, found.inside);
    }
    case "group": {
      let at = atMaybe(atType(from.at("group").at(node.aggregate), node.type), node.operand, told);
      at = at && atMaybe(at, node.filter, told);
      return at && atDetails(at, node.details, told);
    }
    case "window": {
      let at = atNodes(atType(from.at("window").at(node.call), node.type), node.operands, told);
      at = at && atNodes(at, node.partitionBy, told);
      at = at && atOrder(at, node.orderBy, told);
      return at
        ?.at(node.frame === undefined)
        .at(node.frame?.before)
        .at(node.frame?.after);
    }
    case "inQuery": {
      const at = atNodes(from.at("in"), node.operands, told);
      return at && atQuery(at, node.query, told);
    }
    case "existsQuery":
      return atQuery(from.at("any"), node.query, told);
    case "firstQuery":
      return atQuery(atType(from.at("only").at(node.isOnly), node.type), node.query, told);
    case "raw":
      return atRaw(from, node, told);
    case "hole":
    case "inRows":
      return undefined;
    default:
      return node satisfies never;
  }
}

function atCall(from: From, { call, type, isNullable, operands }: CallNode, told: Told): Place {
  let at: Place = atType(from.at(call).at(isNullable).at(operands.length), type);
  for (const part of operands) {
    // A number that stands in the text is part of it, but where it is a value elsewhere already.
    at = isOfFormula(part) && !told.values.includes(part) ? atSaid(at, part, told) : atNode(at, part, told);
    if (at === undefined) return undefined;
  }
  return at;
}

function atRaw(from: From, { type, isNullable, parts, between }: RawNode, told: Told): Place {
  let at: Place = atType(from.at("raw").at(isNullable).at(parts.length), type);
  for (const part of parts) at = at.at(part);
  for (const part of between) {
    at = part.kind === "table" ? at.at(part.entity) : atNode(at, part, told);
    if (at === undefined) return undefined;
  }
  return at;
}

const atMaybe = (from: From, node: Node | undefined, told: Told): Place =>
  node === undefined ? from.at(undefined) : atNode(from, node, told);

function atDetails(from: From, details: AggregateDetails, told: Told): Place {
  const { isDistinct, orderBy, separator, fraction, isOfAll } = details;
  return atOrder(from.at(isDistinct).at(separator).at(fraction).at(isOfAll), orderBy, told);
}

/** Rows of a relation, which have conditions of their own; and what is told of them inside. */
function atSet(from: From, set: SetNode, told: Told): { readonly at: From; readonly inside: Told } | undefined {
  const { source, step, where, orderBy, limit, offset } = set;
  if (source.entity.derivation !== undefined) return undefined;
  const start = "step" in set.from ? atSet(from.at("of"), set.from, told)?.at : atPath(from.at("at"), set.from, told);
  if (start === undefined) return undefined;
  const inside = within(told, [...told.sources, ...sourcesAlong(set)]);
  let at = atNodes(start.at("by").at(step).at(limit).at(offset), where, inside);
  at = at && atOrder(at, orderBy, inside);
  return at && { at, inside };
}

/** The sources of a set, and of the sets that it starts from. */
const sourcesAlong = ({ source, from }: SetNode): readonly Source[] =>
  "step" in from ? [...sourcesAlong(from), source] : [source];

/** More conditions beside each other are a list that a program made up; told, they would crowd out what comes again. */
const mostNodes = 200;

function atNodes(from: From, nodes: readonly Node[], told: Told): Place {
  if (nodes.length > mostNodes) return undefined;
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
    at = atNode(at, node, told)?.at(descending).at(nulls);
    if (at === undefined) return undefined;
  }
  return at;
}

function atProjection(from: From, projection: Projection | undefined, told: Told): Place {
  if (projection === undefined) return from.at(undefined);
  if (projection.kind === "value") return atNode(from.at("value"), projection.node, told);
  if (projection.kind === "rows") {
    const found = atSet(from.at("rows"), projection.set, told);
    return found && atProjection(found.at, projection.projection, found.inside);
  }
  const { fields, presence } = projection;
  let at = presence === undefined ? from.at(undefined) : atNodes(from.at("maybe"), presence, told);
  at = at?.at(fields.length);
  for (const [name, part] of fields) {
    if (at === undefined) return undefined;
    at = atProjection(at.at(name), part, told);
  }
  return at;
}

function atReach(from: From, reach: readonly ReachedRelation[], told: Told): Place {
  let at: Place = from.at(reach.length);
  for (const { relation, query } of reach) {
    at = atQuery(at.at(relation), query, told);
    if (at === undefined) return undefined;
  }
  return at;
}

function atJoins(from: From, joins: readonly JoinNode[], told: Told): Place {
  let at: Place = from.at(joins.length);
  for (const { kind, source, on } of joins) {
    if (source.entity.derivation !== undefined) return undefined;
    at = atMaybe(at.at(kind).at(source.entity), on, told);
    if (at === undefined) return undefined;
  }
  return at;
}

/** What is told inside of further sources; written out, as spreads are slow. */
const within = ({ values, said, keys }: Told, sources: readonly Source[]): Told => ({ values, said, sources, keys });

function atQuery(from: From, state: QueryState, told: Told): Place {
  const { source, where, joins, given, cursor } = state;
  if (given !== undefined || cursor !== undefined || source.entity.derivation !== undefined) return undefined;
  const isFirst = told.sources.length === 0 && joins.length === 0;
  const inside = within(told, isFirst ? [source] : [...told.sources, source, ...joins.map((join) => join.source)]);
  const at = atNodes(from.at(source.entity), where, inside);
  if (at === undefined) return undefined;
  return isBare(state) ? at.at("bare") : atRest(at, state, inside);
}

/** Whether a query has nothing but conditions: told by one word in place of twenty, a single delete takes a tenth less (SQLite). */
const isBare = (state: QueryState): boolean =>
  state.projection === undefined &&
  state.limit === undefined &&
  state.offset === undefined &&
  state.orderBy.length === 0 &&
  state.reach.length === 0 &&
  state.joins.length === 0 &&
  state.groupBy === undefined &&
  state.having.length === 0 &&
  state.columns === undefined &&
  state.strategy === undefined &&
  state.levels === undefined &&
  state.lock === undefined &&
  state.lifted.length === 0 &&
  !state.isCounted &&
  !state.isPlannedAnew;

function atRest(from: From, state: QueryState, told: Told): Place {
  const { orderBy, limit, offset, lock, joins, groupBy, having, reach, projection } = state;
  const { strategy, columns, isCounted, levels, lifted, isPlannedAnew } = state;
  let inside = told;
  let at: Place = from.at(limit).at(offset).at(strategy).at(isCounted).at(isPlannedAnew).at(levels);
  at = at.at(lock?.strength).at(lock?.taken).at(lifted.length);
  for (const name of lifted) at = at.at(name);
  at = at.at(columns?.length);
  if (columns !== undefined) for (const name of columns) at = at.at(name);
  at = atJoins(at, joins, inside);
  if (at === undefined) return undefined;
  if (groupBy === undefined) at = at.at(undefined);
  else {
    at = atNodes(at, groupBy, inside);
    inside = { ...inside, keys: [...told.keys, ...groupBy] };
  }
  at = at && atNodes(at, having, inside);
  at = at && atOrder(at, orderBy, inside);
  at = at && atReach(at, reach, inside);
  return at && atProjection(at, projection, inside);
}

const nothingTold = (): Told => ({ values: [], said: [], sources: [], keys: [] });

/** The shape of a query, for one use; undefined where it has something in it that only a whole compilation knows how to say. */
export function shapeOf<Kept>(root: ShapePlace<Kept>, use: string, state: QueryState): Shape<Kept> | undefined {
  const told = nothingTold();
  const place = atQuery(root.at(use), state, told);
  return place && { place: place as ShapePlace<Kept>, values: told.values };
}

/** The shape of what a query's rows are changed by, or deleted; undefined where it cannot be told. */
export function changeShapeOf<Kept>(root: ShapePlace<Kept>, plan: UpdatePlan | DeletePlan): Shape<Kept> | undefined {
  if (plan.returning !== undefined) return undefined;
  const told = nothingTold();
  let at = atQuery(root.at(plan.kind), plan.query, told);
  if (plan.kind === "update") {
    const inside = within(told, [plan.query.source]);
    at = at?.at(plan.set.length);
    for (const { column, value } of plan.set) {
      if (at === undefined) return undefined;
      at = at.at(column);
      const isOwn = value.kind === "value" && value.type === column.type;
      at = isOwn ? atAssigned(at, value, inside) : atNode(at, value, inside);
    }
  }
  return at && { place: at as ShapePlace<Kept>, values: told.values };
}
