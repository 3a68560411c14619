import type { Scalar } from "../columns/index.js";
import type {
  Node,
  OrderNode,
  Path,
  Projection,
  QueryState,
  ReachedRelation,
  SetNode,
  Source,
} from "../expression/index.js";
import type { DeletePlan, UpdatePlan } from "../plan/index.js";
import type { CompiledStatement } from "../sql/index.js";
import type { ShapePlace } from "./shape-tree.js";

type ValueNode = Extract<Node, { readonly kind: "value" }>;
type ListNode = Extract<Node, { readonly kind: "oneOf" }> & { readonly values: readonly Scalar[] };

/** The values of a query, and its lists of values, in the order in which its shape is told. */
export type Values = readonly (ValueNode | ListNode)[];

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

/** The same change without values, to be printed once. */
export const changeWithoutValues = <P extends UpdatePlan | DeletePlan>(plan: P, values: Values): P => ({
  ...plan,
  query: withoutValues(plan.query, values),
  ...(plan.kind === "update" && {
    set: plan.set.map((one) => ({ ...one, value: opened(one.value, values) })),
  }),
});

const holeName = (place: number): string => `#${place}`;

/** In place of a value of a list. */
class ListPlace {
  readonly place: number;
  readonly index: number;

  constructor(place: number, index: number) {
    this.place = place;
    this.index = index;
  }
}

/**
 * So many places stand for a list: as many as dialects bring its length to, whose bounds for lists that stand in the text are such
 * numbers too.
 */
function sizeOf(length: number): number {
  if (length < 2) return length;
  let size = 8;
  while (size < length && size < mostListed) size *= 2;
  return size;
}

/** More values than any dialect lists one by one, and a power of two. */
const mostListed = 2048;

const openedList = (node: ListNode, place: number): ListNode => ({
  ...node,
  values: Array.from({ length: sizeOf(node.values.length) }, (_, i) => new ListPlace(place, i) as unknown as Scalar),
});

const openedSet = (set: SetNode, values: Values): SetNode => ({
  ...set,
  from: "step" in set.from ? openedSet(set.from, values) : set.from,
  where: set.where.map((node) => opened(node, values)),
});

/** The same condition with holes in place of its values. */
function opened(node: Node, values: Values): Node {
  switch (node.kind) {
    case "value": {
      const place = values.indexOf(node);
      return place < 0 ? node : { kind: "hole", hole: holeName(place), type: node.type };
    }
    case "oneOf": {
      const place = values.indexOf(node as ListNode);
      return place < 0 ? node : openedList(node as ListNode, place);
    }
    case "compare":
      return { ...node, left: opened(node.left, values), right: opened(node.right, values) };
    case "isNull":
      return { ...node, operand: opened(node.operand, values) };
    case "not":
      return { ...node, item: opened(node.item, values) };
    case "logic":
      return { ...node, items: node.items.map((item) => opened(item, values)) };
    case "exists":
      return { ...node, set: openedSet(node.set, values) };
    default:
      return node;
  }
}

/** A query of the same shape without values, to be compiled once. */
export const withoutValues = (state: QueryState, values: Values): QueryState => ({
  ...state,
  where: state.where.map((node) => opened(node, values)),
  past: { isUsed: true },
});

type Parameter = CompiledStatement["parameters"][number];

/** What a parameter of a shape's statement is filled with; undefined where it is as it is. */
function fillOf(parameter: Parameter): ((values: Values) => Parameter) | undefined {
  if (parameter.kind === "hole" && parameter.hole.startsWith("#")) {
    const { hole, type, isTyped } = parameter;
    const place = Number(hole.slice(1));
    return (values) => ({ kind: "value", value: (values[place] as ValueNode).value, type, isTyped });
  }
  if (parameter.kind === "list" && (parameter.values[0] as unknown) instanceof ListPlace) {
    const { type } = parameter;
    const { place } = parameter.values[0] as unknown as ListPlace;
    return (values) => ({ kind: "list", values: (values[place] as ListNode).values, type });
  }
  if (parameter.kind === "value" && (parameter.value as unknown) instanceof ListPlace) {
    const { type } = parameter;
    const { place, index } = parameter.value as unknown as ListPlace;
    // The last value stands in the places behind it, as where lists are brought to their length.
    return (values) => {
      const { values: list } = values[place] as ListNode;
      return { kind: "value", value: list[Math.min(index, list.length - 1)] as Scalar, type };
    };
  }
  return undefined;
}

/** Whether a statement's values are all its own: none of its follow-ups has any. */
export const isFilledAlone = ({ followUps }: CompiledStatement): boolean =>
  [...followUps.values()].every(
    (further) => further.parameters.every((parameter) => fillOf(parameter) === undefined) && isFilledAlone(further),
  );

/** What makes the parameters of a shape's statement of a query's values. */
export function filler(parameters: readonly Parameter[]): (values: Values) => readonly Parameter[] {
  const fills = parameters.map((parameter) => fillOf(parameter) ?? (() => parameter));
  return (values) => fills.map((fill) => fill(values));
}
