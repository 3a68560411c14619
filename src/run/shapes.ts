import type { Node, OrderNode, Projection, QueryState, ReachedRelation, Source } from "../expression/index.js";
import type { DeletePlan, UpdatePlan } from "../plan/index.js";
import type { CompiledStatement } from "../sql/index.js";

type ValueNode = Extract<Node, { readonly kind: "value" }>;

/** What a query is but for its values: queries of one shape are one statement. */
export interface Shape {
  /** The same for queries of one entity that differ in nothing but values. */
  readonly key: string;
  /** Its values, in the order of their places in the key. */
  readonly values: readonly ValueNode[];
}

/** In place of a text for what only a whole compilation knows how to say. */
class Unshaped extends Error {}
const unshaped = new Unshaped();

/** A name as it stands in a key: between quotes where it has a sign of the key's own in it. */
const nameText = (name: string): string => (/^[\w.]+$/.test(name) ? name : JSON.stringify(name));

function nodeText(node: Node, source: Source, values: ValueNode[]): string {
  switch (node.kind) {
    case "column": {
      const { path, column } = node;
      if (path.source !== source) throw unshaped;
      let text = "";
      for (const { name } of path.steps) text += `${nameText(name)}>`;
      return `${text}${nameText(column.property)}`;
    }
    case "compare": {
      const { comparison, left, right } = node;
      // A value has the type of the column that it is compared with: no other is told apart by the key.
      if (right.kind === "value" && left.kind === "column" && right.type === left.column.type && !right.isConstant) {
        values.push(right);
        return `(${nodeText(left, source, values)} ${comparison} ?)`;
      }
      return `(${nodeText(left, source, values)} ${comparison} ${nodeText(right, source, values)})`;
    }
    case "isNull":
      return `null(${nodeText(node.operand, source, values)})`;
    case "not":
      return `not(${nodeText(node.item, source, values)})`;
    case "logic":
      return `${node.operator}(${node.items.map((item) => nodeText(item, source, values)).join()})`;
    default:
      throw unshaped;
  }
}

const orderText = (orders: readonly OrderNode[], source: Source): string => {
  let text = "";
  for (const { node, descending, nulls = "" } of orders) {
    if (node.kind !== "column") throw unshaped;
    text += `${nodeText(node, source, [])}${descending ? "-" : "+"}${nulls} `;
  }
  return text;
};

function projectionText(projection: Projection | undefined, source: Source): string {
  if (projection === undefined) return "";
  if (projection.kind === "value") {
    if (projection.node.kind !== "column") throw unshaped;
    return nodeText(projection.node, source, []);
  }
  if (projection.kind === "rows" || projection.presence !== undefined) throw unshaped;
  return `{${projection.fields.map(([name, part]) => `${JSON.stringify(name)}:${projectionText(part, source)}`).join()}}`;
}

const reachText = (reach: readonly ReachedRelation[]): string => {
  let text = "";
  for (const { relation, query } of reach) {
    if (query.where.length > 0) throw unshaped;
    text += `${JSON.stringify(relation.name)}(${stateText(query, [])})`;
  }
  return text;
};

/** A query as a text. */
function stateText(state: QueryState, values: ValueNode[]): string {
  const { source, where, orderBy, limit, offset, given, lock, cursor, joins, groupBy, having, reach, projection } =
    state;
  const { strategy, columns, isCounted, levels, lifted, isPlannedAnew } = state;
  if (given !== undefined || lock !== undefined || cursor !== undefined || groupBy !== undefined) throw unshaped;
  if (joins.length + having.length + lifted.length > 0 || levels !== undefined || isPlannedAnew) throw unshaped;
  let text = "";
  for (const node of where) text += `${nodeText(node, source, values)};`;
  text += `|${orderText(orderBy, source)}|${limit}|${offset}|${strategy}|${isCounted}|`;
  if (columns !== undefined) text += JSON.stringify(columns);
  return `${text}|${reachText(reach)}|${projectionText(projection, source)}`;
}

/** The shape of a query; undefined where it has something in it that only a whole compilation knows how to say. */
export function shapeOf(state: QueryState): Shape | undefined {
  const values: ValueNode[] = [];
  try {
    return { key: stateText(state, values), values };
  } catch (error) {
    if (error === unshaped) return undefined;
    throw error;
  }
}

/** The shape of what a query's rows are changed by, or deleted; undefined where it cannot be told. */
export function changeShapeOf(plan: UpdatePlan | DeletePlan): Shape | undefined {
  if (plan.returning !== undefined) return undefined;
  const values: ValueNode[] = [];
  try {
    let text = `${plan.kind} `;
    for (const { column, value } of plan.kind === "update" ? plan.set : []) {
      if (value.kind !== "value" || value.isConstant) return undefined;
      values.push(value);
      text += `${nameText(column.property)},`;
    }
    return { key: `${text}|${stateText(plan.query, values)}`, values };
  } catch (error) {
    if (error === unshaped) return undefined;
    throw error;
  }
}

/** The same change without values, to be printed once. */
export const changeWithoutValues = <P extends UpdatePlan | DeletePlan>(plan: P, shape: Shape): P => ({
  ...plan,
  query: withoutValues(plan.query, shape),
  ...(plan.kind === "update" && {
    set: plan.set.map((one) => ({ ...one, value: opened(one.value, shape.values) })),
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
export const withoutValues = (state: QueryState, { values }: Shape): QueryState => ({
  ...state,
  where: state.where.map((node) => opened(node, values)),
  past: { isUsed: true },
});

const isOwnHole = (parameter: CompiledStatement["parameters"][number]): boolean =>
  parameter.kind === "hole" && parameter.hole.startsWith("#");

/** Whether a statement's values are all its own: none of its follow-ups has any. */
export const isFilledAlone = ({ followUps }: CompiledStatement): boolean =>
  [...followUps.values()].every((further) => !further.parameters.some(isOwnHole) && isFilledAlone(further));

type Parameter = CompiledStatement["parameters"][number];

/** A parameter of a shape's statement with the value of a query. */
export function filled(parameter: Parameter, { values }: Shape): Parameter {
  if (parameter.kind !== "hole") return parameter;
  const { hole, type, isTyped } = parameter;
  if (!hole.startsWith("#")) return parameter;
  return { kind: "value", value: (values[Number(hole.slice(1))] as ValueNode).value, type, isTyped };
}

/** A statement of a shape with the values of a query. */
export const withValues = (statement: CompiledStatement, shape: Shape): CompiledStatement =>
  shape.values.length === 0
    ? statement
    : { ...statement, parameters: statement.parameters.map((parameter) => filled(parameter, shape)) };
