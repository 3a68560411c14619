import type {
  AggregateDetails,
  JoinNode,
  Node,
  OrderNode,
  Path,
  Projection,
  QueryState,
  RawText,
  ReachedRelation,
  RowLock,
  SetNode,
} from "../../ir/index.js";
import { isOfFormula } from "../../sql/index.js";
import { type ListNode, sizeOf, type ValueNode } from "./holes.js";
import {
  type Adds,
  listOf,
  type Members,
  membersOf,
  type Next,
  optional,
  type Point,
  type Visited,
} from "./key-members.js";
import { addAgain, addConstant, addType, addValue } from "./key-values.js";

type Kind = Node["kind"];
/** A node but for its kind, which is added first. */
type NodeOf<K extends Kind> = Omit<Extract<Node, { readonly kind: K }>, "kind">;

/** A list of conditions longer than this was made by a program; its keys would displace those that come again. */
const mostConditions = 200;

const addNodes: Adds<readonly Node[]> = (point, nodes, visited) =>
  nodes.length > mostConditions ? undefined : addEach(point, nodes, visited);
const addEach = listOf<Node>((point, node, visited) => addNode(point, node, visited));
const addOptional = optional<Node>((point, node, visited) => addNode(point, node, visited));

const groupKey = Symbol();

/** Both follow from the source and the steps. */
type Derived = "entity" | "mayBeMissing";
const addPath = membersOf<Omit<Path, Derived>>({
  source: (point, { source }, { sources }) => {
    const index = sources.indexOf(source);
    return index < 0 ? undefined : point.next(index);
  },
  steps: (point, { steps }) => {
    let at = point;
    for (const step of steps) at = at.next(step);
    return at;
  },
});

const addOrder = membersOf<OrderNode>({
  node: (point, { node }, visited) => addNode(point, node, visited),
  descending: (point, { descending }) => point.next(descending),
  nulls: (point, { nulls }) => point.next(nulls),
});
const addOrders = listOf(addOrder);

const detailMembers: Members<AggregateDetails> = {
  isDistinct: (point, { isDistinct }) => point.next(isDistinct),
  orderBy: (point, { orderBy }, visited) => addOrders(point, orderBy, visited),
  separator: (point, { separator }) => point.next(separator),
  fraction: (point, { fraction }) => point.next(fraction),
  isOfAll: (point, { isOfAll }) => point.next(isOfAll),
};
const addDetails = membersOf(detailMembers);

/** Related rows; what is added after them may name columns of theirs. */
const addSet: Adds<SetNode> = membersOf<SetNode>({
  from: (point, { from }, visited) =>
    "step" in from ? addSet(point.next("set"), from, visited) : addPath(point.next("path"), from, visited),
  source: (point, { source }, visited) => {
    if (source.entity.derivation !== undefined) return undefined;
    visited.sources = [...visited.sources, source];
    return point;
  },
  step: (point, { step }) => point.next(step),
  limit: (point, { limit }) => point.next(limit),
  offset: (point, { offset }) => point.next(offset),
  where: (point, { where }, visited) => addNodes(point, where, visited),
  orderBy: (point, { orderBy }, visited) => addOrders(point, orderBy, visited),
});

const addBranch = membersOf<NodeOf<"case">["branches"][number]>({
  when: (point, { when }, visited) => addNode(point, when, visited),
  value: (point, { value }, visited) => addNode(point, value, visited),
});
const addBranches = listOf(addBranch);

const addFrame = membersOf<NonNullable<NodeOf<"window">["frame"]>>({
  before: (point, { before }) => point.next("rows").next(before),
  after: (point, { after }) => point.next(after),
});
const addOptionalFrame = optional(addFrame);

/**
 * An operand of a function: a number that stands in the text is part of the key, unless it is a value elsewhere
 * already.
 */
const addOperand: Adds<Node> = (point, node, visited) =>
  isOfFormula(node) && !visited.values.includes(node)
    ? addConstant(point, node, visited)
    : addNode(point, node, visited);
const addOperands = listOf(addOperand);

const rawMembers: Members<RawText> = {
  parts: (point, { parts }) => {
    let at = point.next(parts.length);
    for (const part of parts) at = at.next(part);
    return at;
  },
  between: (point, { between }, visited) => {
    let at: Next = point;
    for (const part of between) {
      at = part.kind === "table" ? at.next(part.entity) : addNode(at, part, visited);
      if (at === undefined) return undefined;
    }
    return at;
  },
};

/** What each node of an expression has besides its kind, if it has a type of its own. */
const typed = {
  type: (point: Point, { type }: { type: Parameters<typeof addType>[1] }, visited: Visited) =>
    addType(point, type, visited),
  isNullable: (point: Point, { isNullable }: { isNullable: boolean }) => point.next(isNullable),
} as const;

/** A kind of node that only a compilation of the whole query can print. */
const noKey = () => undefined;

const kinds: { readonly [K in Kind]: Adds<NodeOf<K>> } = {
  column: membersOf<NodeOf<"column">>({
    path: (point, { path }, visited) => addPath(point, path, visited),
    column: (point, { column }) => point.next(column),
  }),
  value: (point, node, visited) => addValue(point, node as ValueNode, visited, false),
  compare: membersOf<NodeOf<"compare">>({
    comparison: (point, { comparison }) => point.next(comparison),
    left: (point, { left }, visited) => addNode(point, left, visited),
    right: (point, { left, right }, visited) =>
      right.kind === "value"
        ? addValue(point, right, visited, left.kind === "column" && right.type === left.column.type)
        : addNode(point, right, visited),
  }),
  isNull: membersOf<NodeOf<"isNull">>({
    operand: (point, { operand }, visited) => addNode(point, operand, visited),
  }),
  oneOf: membersOf<NodeOf<"oneOf">>({
    values: (point, node, visited) => {
      if ("hole" in node.values) return undefined;
      const again = addAgain(point, node as ListNode, visited);
      if (again !== undefined) return again;
      visited.values.push(node as ListNode);
      return point.next(sizeOf(node.values.length));
    },
    operand: (point, { operand }, visited) => addNode(point, operand, visited),
  }),
  logic: membersOf<NodeOf<"logic">>({
    operator: (point, { operator }) => point.next(operator),
    items: (point, { items }, visited) => addNodes(point, items, visited),
  }),
  not: membersOf<NodeOf<"not">>({
    item: (point, { item }, visited) => addNode(point, item, visited),
  }),
  call: membersOf<NodeOf<"call">>({
    ...typed,
    call: (point, { call }) => point.next(call),
    operands: (point, { operands }, visited) => addOperands(point, operands, visited),
  }),
  case: membersOf<NodeOf<"case">>({
    ...typed,
    branches: (point, { branches }, visited) => addBranches(point, branches, visited),
    otherwise: (point, { otherwise }, visited) => addOptional(point, otherwise, visited),
  }),
  exists: membersOf<NodeOf<"exists">>({ set: (point, { set }, visited) => addSet(point, set, visited) }),
  aggregate: membersOf<NodeOf<"aggregate">>({
    ...typed,
    aggregate: (point, { aggregate }) => point.next(aggregate),
    set: (point, { set }, visited) => addSet(point, set, visited),
    operand: (point, { operand }, visited) => addOptional(point, operand, visited),
    details: (point, { details }, visited) => addDetails(point, details, visited),
  }),
  first: membersOf<NodeOf<"first">>({
    ...typed,
    set: (point, { set }, visited) => addSet(point, set, visited),
    operand: (point, { operand }, visited) => addNode(point, operand, visited),
  }),
  group: membersOf<NodeOf<"group">>({
    ...typed,
    aggregate: (point, { aggregate }) => point.next(aggregate),
    operand: (point, { operand }, visited) => addOptional(point, operand, visited),
    filter: (point, { filter }, visited) => addOptional(point, filter, visited),
    details: (point, { details }, visited) => addDetails(point, details, visited),
  }),
  window: membersOf<NodeOf<"window">>({
    ...typed,
    call: (point, { call }) => point.next(call),
    operands: (point, { operands }, visited) => addNodes(point, operands, visited),
    partitionBy: (point, { partitionBy }, visited) => addNodes(point, partitionBy, visited),
    orderBy: (point, { orderBy }, visited) => addOrders(point, orderBy, visited),
    frame: (point, { frame }, visited) => addOptionalFrame(point, frame, visited),
  }),
  inQuery: membersOf<NodeOf<"inQuery">>({
    operands: (point, { operands }, visited) => addNodes(point, operands, visited),
    query: (point, { query }, visited) => addQuery(point, query, visited),
  }),
  existsQuery: membersOf<NodeOf<"existsQuery">>({
    query: (point, { query }, visited) => addQuery(point, query, visited),
  }),
  firstQuery: membersOf<NodeOf<"firstQuery">>({
    ...typed,
    isOnly: (point, { isOnly }) => point.next(isOnly),
    query: (point, { query }, visited) => addQuery(point, query, visited),
  }),
  raw: membersOf<NodeOf<"raw">>({ ...typed, ...rawMembers }),
  hole: noKey,
  inRows: noKey,
};

/** An expression. What a set inside of it adds to the sources counts inside of it alone. */
export function addNode(point: Point, node: Node, visited: Visited): Next {
  const { groupKeys, sources } = visited;
  const index = groupKeys.length === 0 ? -1 : groupKeys.indexOf(node);
  if (index >= 0) return point.next(groupKey).next(index);
  const at = (kinds[node.kind] as Adds<object>)(point.next(node.kind), node, visited);
  visited.sources = sources;
  return at;
}

type ProjectionOf<K extends Projection["kind"]> = Omit<Extract<Projection, { readonly kind: K }>, "kind">;

const projections: { readonly [K in Projection["kind"]]: Adds<ProjectionOf<K>> } = {
  value: membersOf<ProjectionOf<"value">>({
    node: (point, { node }, visited) => addNode(point, node, visited),
  }),
  rows: membersOf<ProjectionOf<"rows">>({
    set: (point, { set }, visited) => addSet(point, set, visited),
    projection: (point, { projection }, visited) => addProjection(point, projection, visited),
  }),
  object: membersOf<ProjectionOf<"object">>({
    presence: (point, { presence }, visited) => addPresence(point, presence, visited),
    fields: (point, { fields }, visited) => addFields(point, fields, visited),
  }),
};
const addPresence = optional(addNodes);
const addFields = listOf<ProjectionOf<"object">["fields"][number]>((point, [name, projection], visited) =>
  addProjection(point.next(name), projection, visited),
);

const addProjection: Adds<Projection> = (point, projection, visited) => {
  const { sources } = visited;
  const at = (projections[projection.kind] as Adds<object>)(point.next(projection.kind), projection, visited);
  visited.sources = sources;
  return at;
};

const addReached = membersOf<ReachedRelation>({
  relation: (point, { relation }) => point.next(relation),
  query: (point, { query }, visited) => addQuery(point, query, visited),
});
const addReach = listOf(addReached);

const addJoin = membersOf<JoinNode>({
  kind: (point, { kind }) => point.next(kind),
  source: (point, { source }) => (source.entity.derivation === undefined ? point.next(source.entity) : undefined),
  on: (point, { on }, visited) => (on === undefined ? point.next(undefined) : addNode(point, on, visited)),
});
const addJoins = listOf(addJoin);

const addLock = membersOf<RowLock>({
  strength: (point, { strength }) => point.next(strength),
  taken: (point, { taken }) => point.next(taken),
});

const addNames = listOf<string>((point, name) => point.next(name));

/** What nearly every query has. */
const main = {
  source: (point, { source, joins }, visited) => {
    if (source.entity.derivation !== undefined) return undefined;
    const isOutermost = visited.sources.length === 0 && joins.length === 0;
    visited.sources = isOutermost ? [source] : [...visited.sources, source, ...joins.map((join) => join.source)];
    return point.next(source.entity);
  },
  where: (point, { where }, visited) => addNodes(point, where, visited),
} satisfies Partial<Members<QueryState>>;

/** What is made of the rows, how they are sent, and what is said of the query: not what is asked. */
type NoPart = "outside" | "accepted" | "isSnapshot" | "memo";
/** What many queries have nothing of. */
type Part = Exclude<keyof QueryState, keyof typeof main | NoPart>;
const parts: Record<Part, Adds<QueryState>> = {
  limit: (point, { limit }) => point.next(limit),
  offset: (point, { offset }) => point.next(offset),
  strategy: (point, { strategy }) => point.next(strategy),
  // That it is there says all.
  isCounted: (point) => point,
  isPlannedAnew: (point) => point,
  levels: (point, { levels }) => point.next(levels),
  lock: (point, { lock }, visited) => lock && addLock(point, lock, visited),
  lifted: (point, { lifted }, visited) => addNames(point, lifted, visited),
  columns: (point, { columns }, visited) => columns && addNames(point, columns, visited),
  joins: (point, { joins }, visited) => addJoins(point, joins, visited),
  groupBy: (point, { groupBy }, visited) => {
    const at = groupBy && addNodes(point, groupBy, visited);
    visited.groupKeys = [...visited.groupKeys, ...(groupBy ?? [])];
    return at;
  },
  having: (point, { having }, visited) => addNodes(point, having, visited),
  orderBy: (point, { orderBy }, visited) => addOrders(point, orderBy, visited),
  reach: (point, { reach }, visited) => addReach(point, reach, visited),
  projection: (point, { projection }, visited) => projection && addProjection(point, projection, visited),
  // A template is the owner of its statement, and a cursor becomes conditions and an order.
  given: noKey,
  cursor: noKey,
};

const bits = Object.fromEntries(Object.keys(parts).map((part, index) => [part, 1 << index])) as Record<Part, number>;
const addsPart = Object.values(parts);

/**
 * Which parts a query has, as the sum of their bits: most queries have one or two. Written out in a literal that has to
 * name all of them, and that V8 never makes: reading members by computed names takes 400 ns, this takes 20.
 */
function presentIn(state: QueryState): number {
  let present = 0;
  const has = (bit: number, isPresent: boolean): void => {
    if (isPresent) present |= bit;
  };
  void ({
    limit: has(bits.limit, state.limit !== undefined),
    offset: has(bits.offset, state.offset !== undefined),
    strategy: has(bits.strategy, state.strategy !== undefined),
    isCounted: has(bits.isCounted, state.isCounted),
    isPlannedAnew: has(bits.isPlannedAnew, state.isPlannedAnew),
    levels: has(bits.levels, state.levels !== undefined),
    lock: has(bits.lock, state.lock !== undefined),
    lifted: has(bits.lifted, state.lifted.length > 0),
    columns: has(bits.columns, state.columns !== undefined),
    joins: has(bits.joins, state.joins.length > 0),
    groupBy: has(bits.groupBy, state.groupBy !== undefined),
    having: has(bits.having, state.having.length > 0),
    orderBy: has(bits.orderBy, state.orderBy.length > 0),
    reach: has(bits.reach, state.reach.length > 0),
    projection: has(bits.projection, state.projection !== undefined),
    given: has(bits.given, state.given !== undefined),
    cursor: has(bits.cursor, state.cursor !== undefined),
  } satisfies { readonly [M in Part]: unknown });
  return present;
}

/** A query. Its own rows count inside of it alone. */
export const addQuery: Adds<QueryState> = (point, state, visited) => {
  const { sources, groupKeys } = visited;
  const present = presentIn(state);
  let at: Next = main.source(point, state, visited);
  at = at && main.where(at.next(present), state, visited);
  for (let index = 0; at !== undefined && present >> index !== 0; index++)
    if ((present >> index) & 1) at = (addsPart[index] as Adds<QueryState>)(at, state, visited);
  visited.sources = sources;
  visited.groupKeys = groupKeys;
  return at;
};
