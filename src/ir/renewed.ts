import type { Scalar } from "../columns/index.js";
import type {
  AggregateDetails,
  JoinNode,
  Node,
  OrderNode,
  ParameterValues,
  Path,
  Projection,
  QueryState,
  SetNode,
  Source,
} from "./resolved.js";

/** What stands for what: sources of a query that is used again, and what was made of them. */
interface Renewal {
  readonly sources: ReadonlyMap<Source, Source>;
  readonly nodes: Map<Node, Node>;
  /** What a template is run with, where it is used inside of another query. */
  readonly given?: ParameterValues | undefined;
  /** What stands for a value or a list of values, but for its operand. */
  readonly leaf?: ((node: Leaf) => Node) | undefined;
}

/** What values of a query stand in. */
export type Leaf = Extract<Node, { readonly kind: "value" | "oneOf" }>;

const renewedSource = ({ sources }: Renewal, source: Source): Source => sources.get(source) ?? source;

const renewedPath = (renewal: Renewal, path: Path): Path =>
  renewal.sources.has(path.source) ? { ...path, source: renewedSource(renewal, path.source) } : path;

const renewedOrder = (renewal: Renewal, order: readonly OrderNode[]): readonly OrderNode[] =>
  order.map((term) => ({ ...term, node: renewedNode(renewal, term.node) }));

const renewedDetails = (renewal: Renewal, details: AggregateDetails): AggregateDetails =>
  details.orderBy.length === 0 ? details : { ...details, orderBy: renewedOrder(renewal, details.orderBy) };

function renewedSet(renewal: Renewal, set: SetNode): SetNode {
  return {
    ...set,
    source: renewedSource(renewal, set.source),
    from: "step" in set.from ? renewedSet(renewal, set.from) : renewedPath(renewal, set.from),
    where: set.where.map((node) => renewedNode(renewal, node)),
    orderBy: renewedOrder(renewal, set.orderBy),
  };
}

function partly(renewal: Renewal, node: Node): Node {
  const one = (part: Node) => renewedNode(renewal, part);
  const maybe = (part: Node | undefined) => (part === undefined ? undefined : one(part));
  switch (node.kind) {
    case "column":
      return { ...node, path: renewedPath(renewal, node.path) };
    case "value":
      return renewal.leaf === undefined ? node : renewal.leaf(node);
    case "hole": {
      const value = renewal.given?.get(node.hole);
      return value === undefined ? node : { kind: "value", value, type: node.type };
    }
    case "compare":
      return { ...node, left: one(node.left), right: one(node.right) };
    case "isNull":
      return { ...node, operand: one(node.operand) };
    case "oneOf": {
      const values = "hole" in node.values ? renewal.given?.get(node.values.hole) : undefined;
      return {
        ...(renewal.leaf === undefined ? node : (renewal.leaf(node) as typeof node)),
        operand: one(node.operand),
        ...(values === undefined ? {} : { values: values as readonly Scalar[] }),
      };
    }
    case "logic":
      return { ...node, items: node.items.map(one) };
    case "not":
      return { ...node, item: one(node.item) };
    case "call":
    case "inRows":
      return { ...node, operands: node.operands.map(one) };
    case "case":
      return {
        ...node,
        branches: node.branches.map(({ when, value }) => ({ when: one(when), value: one(value) })),
        otherwise: maybe(node.otherwise),
      };
    case "aggregate":
      return {
        ...node,
        set: renewedSet(renewal, node.set),
        operand: maybe(node.operand),
        details: renewedDetails(renewal, node.details),
      };
    case "first":
      return { ...node, set: renewedSet(renewal, node.set), operand: one(node.operand) };
    case "exists":
      return { ...node, set: renewedSet(renewal, node.set) };
    case "group":
      return {
        ...node,
        operand: maybe(node.operand),
        filter: maybe(node.filter),
        details: renewedDetails(renewal, node.details),
      };
    case "window":
      return {
        ...node,
        operands: node.operands.map(one),
        partitionBy: node.partitionBy.map(one),
        orderBy: renewedOrder(renewal, node.orderBy),
      };
    case "raw":
      return { ...node, between: node.between.map((part) => (part.kind === "table" ? part : one(part))) };
    case "inQuery":
      return { ...node, operands: node.operands.map(one), query: renewedQuery(renewal, node.query) };
    case "existsQuery":
    case "firstQuery":
      return { ...node, query: renewedQuery(renewal, node.query) };
    default:
      return node satisfies never;
  }
}

/** Copies an expression for the new sources: one for each, as what rows are grouped by is known by its identity. */
function renewedNode(renewal: Renewal, node: Node): Node {
  const known = renewal.nodes.get(node) ?? partly(renewal, node);
  renewal.nodes.set(node, known);
  return known;
}

function renewedProjection(renewal: Renewal, projection: Projection): Projection {
  switch (projection.kind) {
    case "value":
      return { ...projection, node: renewedNode(renewal, projection.node) };
    case "rows":
      return {
        ...projection,
        set: renewedSet(renewal, projection.set),
        projection: renewedProjection(renewal, projection.projection),
      };
    case "object":
      return {
        ...projection,
        fields: projection.fields.map(([name, part]) => [name, renewedProjection(renewal, part)] as const),
        presence: projection.presence?.map((node) => renewedNode(renewal, node)),
      };
    default:
      return projection satisfies never;
  }
}

function renewedQuery(outer: Renewal, query: QueryState): QueryState {
  const renewal = query.given === undefined ? outer : { ...outer, nodes: new Map(), given: query.given.values };
  const nodes = (of: readonly Node[]) => of.map((node) => renewedNode(renewal, node));
  const { cursor, groupBy, projection } = query;
  return {
    ...query,
    source: renewedSource(renewal, query.source),
    where: nodes(query.where),
    orderBy: renewedOrder(renewal, query.orderBy),
    given: undefined,
    cursor: cursor?.base === undefined ? cursor : { ...cursor, base: renewedQuery(renewal, cursor.base) },
    joins: query.joins.map(
      (join): JoinNode => ({
        ...join,
        source: renewedSource(renewal, join.source),
        on: join.on === undefined ? undefined : renewedNode(renewal, join.on),
      }),
    ),
    groupBy: groupBy === undefined ? undefined : nodes(groupBy),
    having: nodes(query.having),
    reach: query.reach.map((reached) => ({ ...reached, query: renewedQuery(renewal, reached.query) })),
    projection: projection === undefined ? undefined : renewedProjection(renewal, projection),
    memo: { isUsed: false },
  };
}

const renewalOf = (sources: readonly Source[]): Renewal => ({
  sources: new Map(sources.map((source) => [source, { ...source }])),
  nodes: new Map(),
});

/** The sources of a query's own rows. */
export const sourcesOf = ({ source, joins }: QueryState): readonly Source[] => [
  source,
  ...joins.map((join) => join.source),
];

/**
 * Copies a query over sources of its own, so that it can be used inside of itself; `also` are expressions of its rows
 * that are kept elsewhere.
 */
export function renewed(query: QueryState): { readonly query: QueryState; readonly also: (node: Node) => Node } {
  const renewal = renewalOf(sourcesOf(query));
  return { query: renewedQuery(renewal, query), also: (node) => renewedNode(renewal, node) };
}

/** A query whose parameters have their values, to be used inside of another: as it is where it is of no template. */
export const filled = (query: QueryState): QueryState =>
  query.given === undefined ? query : renewedQuery({ sources: new Map(), nodes: new Map() }, query);

/** Copies a set of related rows over a source of its own. */
export const renewedRows = (set: SetNode): SetNode => renewedSet(renewalOf([set.source]), set);

/** Copies a query, and expressions beside it, with others in place of values. */
export function replacing(leaf: (node: Leaf) => Node): {
  readonly query: (query: QueryState) => QueryState;
  readonly node: (node: Node) => Node;
} {
  const renewal: Renewal = { sources: new Map(), nodes: new Map(), leaf };
  return { query: (query) => renewedQuery(renewal, query), node: (node) => renewedNode(renewal, node) };
}
