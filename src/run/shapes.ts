import type { Node, OrderNode, Projection, QueryState, ReachedRelation, Source } from "../expression/index.js";
import type { DeletePlan, UpdatePlan } from "../plan/index.js";
import type { CompiledStatement } from "../sql/index.js";
import type { ShapePlace } from "./shape-tree.js";

type ValueNode = Extract<Node, { readonly kind: "value" }>;

/** The values of a query, in the order in which its shape is told. */
export type Values = readonly ValueNode[];

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

function atNode(from: From, node: Node, source: Source, values: ValueNode[]): Place {
  switch (node.kind) {
    case "column": {
      const { path, column } = node;
      if (path.source !== source) return undefined;
      let at = from;
      for (const step of path.steps) at = at.at(step);
      return at.at(column);
    }
    case "compare": {
      const { comparison, left, right } = node;
      const at = atNode(from.at(comparison), left, source, values);
      // A value has the type of the column that it is compared with: no other is told apart.
      if (right.kind === "value" && left.kind === "column" && right.type === left.column.type && !right.isConstant) {
        values.push(right);
        return at?.at("?");
      }
      return at === undefined ? undefined : atNode(at, right, source, values);
    }
    case "isNull":
      return atNode(from.at("null"), node.operand, source, values);
    case "not":
      return atNode(from.at("not"), node.item, source, values);
    case "logic":
      return atNodes(from.at(node.operator), node.items, source, values);
    default:
      return undefined;
  }
}

function atNodes(from: From, nodes: readonly Node[], source: Source, values: ValueNode[]): Place {
  let at: Place = from.at(nodes.length);
  for (const node of nodes) {
    at = atNode(at, node, source, values);
    if (at === undefined) return undefined;
  }
  return at;
}

function atOrder(from: From, orders: readonly OrderNode[], source: Source): Place {
  let at: Place = from.at(orders.length);
  for (const { node, descending, nulls } of orders) {
    if (node.kind !== "column") return undefined;
    at = atNode(at, node, source, [])?.at(descending).at(nulls);
    if (at === undefined) return undefined;
  }
  return at;
}

function atProjection(from: From, projection: Projection | undefined, source: Source): Place {
  if (projection === undefined) return from.at(undefined);
  if (projection.kind === "value") {
    const { node } = projection;
    return node.kind === "column" ? atNode(from.at("value"), node, source, []) : undefined;
  }
  if (projection.kind === "rows" || projection.presence !== undefined) return undefined;
  let at: Place = from.at(projection.fields.length);
  for (const [name, part] of projection.fields) {
    at = atProjection(at.at(name), part, source);
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

function atState(from: From, state: QueryState, values: ValueNode[]): Place {
  const { source, where, orderBy, limit, offset, given, lock, cursor, joins, groupBy, having, reach, projection } =
    state;
  const { strategy, columns, isCounted, levels, lifted, isPlannedAnew } = state;
  if (given !== undefined || lock !== undefined || cursor !== undefined || groupBy !== undefined) return undefined;
  if (joins.length + having.length + lifted.length > 0 || levels !== undefined || isPlannedAnew) return undefined;
  let at = atNodes(from, where, source, values);
  if (at === undefined) return undefined;
  at = at.at(limit).at(offset).at(strategy).at(isCounted).at(columns?.length);
  if (columns !== undefined) for (const name of columns) at = at.at(name);
  at = atOrder(at, orderBy, source);
  if (at !== undefined) at = atReach(at, reach);
  return at === undefined ? undefined : atProjection(at, projection, source);
}

/** The shape of a query, for one use; undefined where it has something in it that only a whole compilation knows how to say. */
export function shapeOf<Kept>(root: ShapePlace<Kept>, use: string, state: QueryState): Shape<Kept> | undefined {
  const values: ValueNode[] = [];
  const place = atState(root.at(use), state, values);
  return place && { place: place as ShapePlace<Kept>, values };
}

/** The shape of what a query's rows are changed by, or deleted; undefined where it cannot be told. */
export function changeShapeOf<Kept>(root: ShapePlace<Kept>, plan: UpdatePlan | DeletePlan): Shape<Kept> | undefined {
  if (plan.returning !== undefined) return undefined;
  const values: ValueNode[] = [];
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

/** The same condition with holes in place of its values. */
function opened(node: Node, values: readonly ValueNode[]): Node {
  switch (node.kind) {
    case "value": {
      const place = values.indexOf(node);
      return place < 0 ? node : { kind: "hole", hole: holeName(place), type: node.type };
    }
    case "compare":
      return { ...node, left: opened(node.left, values), right: opened(node.right, values) };
    case "isNull":
      return { ...node, operand: opened(node.operand, values) };
    case "not":
      return { ...node, item: opened(node.item, values) };
    case "logic":
      return { ...node, items: node.items.map((item) => opened(item, values)) };
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

const isOwnHole = (parameter: Parameter): boolean => parameter.kind === "hole" && parameter.hole.startsWith("#");

/** Whether a statement's values are all its own: none of its follow-ups has any. */
export const isFilledAlone = ({ followUps }: CompiledStatement): boolean =>
  [...followUps.values()].every((further) => !further.parameters.some(isOwnHole) && isFilledAlone(further));

/** What makes the parameters of a shape's statement of a query's values. */
export function filler(parameters: readonly Parameter[]): (values: Values) => readonly Parameter[] {
  const fills = parameters.map((parameter): ((values: Values) => Parameter) => {
    if (parameter.kind !== "hole" || !isOwnHole(parameter)) return () => parameter;
    const { hole, type, isTyped } = parameter;
    const place = Number(hole.slice(1));
    return (values) => ({ kind: "value", value: (values[place] as ValueNode).value, type, isTyped });
  });
  return (values) => fills.map((fill) => fill(values));
}
