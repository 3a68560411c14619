import {
  allOf,
  columnAt,
  type Node,
  type OrderNode,
  type Path,
  type Projection,
  pathOn,
  pathTo,
  type QueryState,
  type ReachedRelation,
  type ResolvedColumn,
  type ResolvedMember,
  type ResolvedRelation,
  type SetNode,
  type Source,
  type Step,
  type Strategy,
  typeOf,
} from "../expression/index.js";
import { afterCursor, reversed } from "./cursor.js";
import { totalOrder } from "./order.js";
import type {
  FedStatement,
  JoinedRows,
  JoinedSource,
  Output,
  PlanSettings,
  RowPlan,
  Shape,
  StatementPlan,
} from "./statement-plan.js";
import { type Way, wayOf } from "./strategy.js";

/** The outputs of a statement under construction; a column that is asked for twice is fetched once. */
interface Slots {
  readonly outputs: Output[];
  readonly column: (path: Path, column: ResolvedColumn) => number;
  readonly output: (output: Output) => number;
}

function makeSlots(): Slots {
  const outputs: Output[] = [];
  const known: { readonly path: Path; readonly column: ResolvedColumn; readonly slot: number }[] = [];
  const add = (output: Output) => outputs.push(output) - 1;
  const samePath = (a: Path, b: Path) =>
    a.source === b.source && a.steps.length === b.steps.length && a.steps.every((step, i) => step === b.steps[i]);
  const column = (path: Path, wanted: ResolvedColumn) => {
    const there = known.find((entry) => entry.column === wanted && samePath(entry.path, path));
    if (there !== undefined) return there.slot;
    const slot = add(columnAt(path, wanted));
    known.push({ path, column: wanted, slot });
    return slot;
  };
  return {
    outputs,
    column,
    output: (wanted) => (wanted.kind === "column" ? column(wanted.path, wanted.column) : add(wanted)),
  };
}

/** A statement under construction, and the strategies that hold in it. */
interface Draft {
  readonly slots: Slots;
  readonly joined: JoinedSource[];
  readonly bound: Map<Source, Path>;
  readonly settings: PlanSettings;
}

/** What the rows of one source bring along: filled while its shape is made. */
interface RowDraft {
  readonly joined: JoinedRows[];
  readonly fed: FedStatement[];
}

function shapeOfProjection(
  draft: Draft,
  rows: RowDraft,
  projection: Projection,
  at: readonly string[],
  presence: readonly number[] | undefined,
): Shape {
  if (projection.kind === "value")
    return { kind: "value", slot: draft.slots.output(projection.node), type: typeOf(projection.node).type };
  if (projection.kind === "rows") {
    feedSet(draft, rows, projection.set, projection.projection, at);
    return { kind: "related", cardinality: "many" };
  }
  const fields = projection.fields.map(
    ([name, part]) => [name, shapeOfProjection(draft, rows, part, [...at, name], undefined)] as const,
  );
  return { kind: "object", fields, presence: presence ?? projection.presence?.map((node) => draft.slots.output(node)) };
}

/** Columns and value objects, without heavy ones. */
function shapesOfMembers(
  draft: Draft,
  path: Path,
  members: ReadonlyMap<string, ResolvedMember>,
): (readonly [string, Shape])[] {
  const { slots } = draft;
  return [...members].flatMap(([name, member]): (readonly [string, Shape])[] => {
    if ("fields" in member) {
      const fields = shapesOfMembers(draft, path, member.fields);
      const presence = member.presence?.map((column) => slots.column(path, column));
      return [[name, { kind: "object", fields, presence }]];
    }
    return member.isHeavy ? [] : [[name, { kind: "value", slot: slots.column(path, member), type: member.type }]];
  });
}

/** Everything a row at the end of a path becomes: its columns or its projection, and what it reaches. */
function shapeOfRow(
  draft: Draft,
  rows: RowDraft,
  query: QueryState,
  path: Path,
  at: readonly string[],
  strategy: Strategy | undefined,
): Shape {
  const presence =
    path.steps.length > 0 && path.mayBeMissing ? keySlots(draft, path, path.entity.key).slice(0, 1) : undefined;
  if (query.projection !== undefined) return shapeOfProjection(draft, rows, query.projection, at, presence);
  const columns = shapesOfMembers(draft, path, path.entity.members);
  const related = query.reach.map(
    (reached) => [reached.relation.name, shapeOfRelation(draft, rows, reached, path, at, strategy)] as const,
  );
  return { kind: "object", fields: [...columns, ...related], presence, make: path.entity.make, own: columns.length };
}

/** The sets that lead to a set, the first of them starting at a row. */
const chainOf = (set: SetNode): readonly [SetNode, ...SetNode[]] =>
  "step" in set.from ? [...chainOf(set.from), set] : [set];

/** Rows of a set in a projection: one more statement for all owners, as a relation by batch. */
function feedSet(draft: Draft, rows: RowDraft, set: SetNode, projection: Projection, at: readonly string[]): void {
  const chain = chainOf(set);
  const [{ from: owner, step }] = chain;
  const keyColumns = step.pairs.map((pair) => pair.from);
  const { source, where, orderBy, limit, offset } = set;
  const query: QueryState = { ...allOf(source), where, orderBy, limit, offset, projection };
  const statement = planStatement(query, undefined, draft.settings, {
    purpose: `${step.source.name}.${chain.map((part) => part.step.name).join(".")} of a projection`,
    fedOver: chain.map((part) => part.step),
    fedSets: chain.slice(0, -1),
    ordered: true,
  });
  const keys = keySlots(draft, owner as Path, keyColumns);
  rows.fed.push({
    at: at.slice(0, -1),
    property: at.at(-1) as string,
    cardinality: "many",
    keys,
    keyColumns,
    statement,
  });
}

const keySlots = ({ slots }: Draft, path: Path, columns: readonly ResolvedColumn[]): readonly number[] =>
  columns.map((column) => slots.column(path, column));

function shapeOfRelation(
  draft: Draft,
  rows: RowDraft,
  { relation, query }: ReachedRelation,
  path: Path,
  at: readonly string[],
  strategy: Strategy | undefined,
): Shape {
  const way: Way = wayOf(relation, { reached: query.strategy, query: strategy, database: draft.settings.strategy });
  const inherited = query.strategy ?? strategy;
  const mount = { at, property: relation.name };
  if (way === "batch") {
    const keyColumns = relation.steps[0].pairs.map((pair) => pair.from);
    const statement = planFed(relation, query, inherited, draft.settings);
    rows.fed.push({
      ...mount,
      cardinality: relation.cardinality,
      keys: keySlots(draft, path, keyColumns),
      keyColumns,
      statement,
    });
    return { kind: "related", cardinality: relation.cardinality };
  }
  if (relation.cardinality === "one") {
    const further = pathOn(path, relation);
    draft.bound.set(query.source, further);
    return shapeOfRow(draft, rows, query, further, [...at, relation.name], inherited);
  }
  const { source, where, limit, offset } = query;
  draft.joined.push({ source, relation, from: path, where, orderBy: totalOrder(query), limit, offset });
  rows.joined.push({ ...mount, rows: planRows(draft, query, inherited) });
  return { kind: "related", cardinality: "many" };
}

function planRows(draft: Draft, query: QueryState, strategy: Strategy | undefined): RowPlan {
  const rows: RowDraft = { joined: [], fed: [] };
  const path = pathTo(query.source);
  const shape = shapeOfRow(draft, rows, query, path, [], strategy);
  const isJoined = draft.joined.some((joined) => joined.source === query.source);
  const identity = isJoined || rows.joined.length > 0 ? keySlots(draft, path, query.source.entity.key) : [];
  return { shape, identity, ...rows };
}

/** Where the rows have the keys of their owners: in columns of their own, or in those of a row on the way. */
function ownerSlots(draft: Draft, source: Source, [first, ...further]: readonly Step[]): readonly number[] {
  if (first === undefined) return [];
  if (further.length === 0)
    return keySlots(
      draft,
      pathTo(source),
      first.pairs.map((pair) => pair.to),
    );
  return first.pairs.map(({ to }, part) => draft.slots.output({ kind: "owner", part, type: to.type }));
}

function planStatement(
  query: QueryState,
  strategy: Strategy | undefined,
  settings: PlanSettings,
  feed: Pick<StatementPlan, "purpose" | "fedOver"> & {
    readonly fedSets?: readonly SetNode[];
    readonly ordered: boolean;
    readonly hasPlaces?: boolean;
  },
): StatementPlan {
  const draft: Draft = { slots: makeSlots(), joined: [], bound: new Map(), settings };
  const rows = planRows(draft, query, strategy);
  const { purpose, fedOver, fedSets = [], ordered, hasPlaces = false } = feed;
  const { source, limit, offset } = query;
  const order = totalOrder(query);
  const { where, sorted, isReversed } = besideCursor(query, order);
  const places = hasPlaces ? { order, slots: order.map(({ node }) => draft.slots.output(node)) } : undefined;
  return {
    purpose,
    source,
    fedOver,
    fedSets,
    fedSlots: ownerSlots(draft, source, fedOver),
    cutPerOwner: fedOver.length > 0 && (limit !== undefined || offset !== undefined),
    where,
    beside: query.joins,
    groupBy: query.groupBy,
    having: query.having,
    orderBy: ordered || draft.joined.length > 0 ? sorted : [],
    limit,
    offset,
    joined: draft.joined,
    bound: draft.bound,
    outputs: draft.slots.outputs,
    lock: query.lock,
    isReversed,
    places,
    rows,
  };
}

/** What a query's cursor makes of its conditions and its order. The last rows before a place are the first from the end. */
function besideCursor(
  query: QueryState,
  order: readonly OrderNode[],
): { readonly where: readonly Node[]; readonly sorted: readonly OrderNode[]; readonly isReversed: boolean } {
  const { where, cursor, limit } = query;
  if (cursor === undefined) return { where, sorted: order, isReversed: false };
  const isBefore = cursor.side === "before";
  const sorted = isBefore ? reversed(order) : order;
  const isReversed = isBefore && limit !== undefined;
  return {
    where: [...where, afterCursor(cursor.text, order, sorted)],
    sorted: isReversed ? sorted : order,
    isReversed,
  };
}

function planFed(
  relation: ResolvedRelation,
  query: QueryState,
  strategy: Strategy | undefined,
  settings: PlanSettings,
): StatementPlan {
  return planStatement(query, strategy, settings, {
    purpose: `${relation.source.name}.${relation.name} by batch`,
    fedOver: relation.steps,
    ordered: relation.cardinality === "many",
  });
}

/** The statements that bring a query's rows with all they reach. */
export function planList(query: QueryState, settings: PlanSettings): StatementPlan {
  const purpose = `rows of ${query.source.entity.name}`;
  return planStatement(query, query.strategy, settings, { purpose, fedOver: [], ordered: true });
}

/** The same, with the places of the rows in the query's order. */
export function planSlice(query: QueryState, settings: PlanSettings): StatementPlan {
  const purpose = `rows of ${query.source.entity.name}`;
  return planStatement(query, query.strategy, settings, { purpose, fedOver: [], ordered: true, hasPlaces: true });
}

/**
 * The statements that bring the one row of a query. Two rows are asked for, to see whether there
 * are several; their order does not matter unless the query itself is cut.
 */
export function planSingle(query: QueryState, settings: PlanSettings): StatementPlan {
  const isCut = query.limit !== undefined || query.offset !== undefined;
  const two = { ...query, limit: Math.min(query.limit ?? 2, 2) };
  const purpose = `the row of ${query.source.entity.name}`;
  return planStatement(two, query.strategy, settings, { purpose, fedOver: [], ordered: isCut });
}

function planScalar(
  query: QueryState,
  purpose: string,
  output: Output,
  cut: Pick<StatementPlan, "limit" | "offset" | "orderBy">,
): StatementPlan {
  return {
    purpose,
    source: query.source,
    fedOver: [],
    fedSets: [],
    fedSlots: [],
    cutPerOwner: false,
    where: besideCursor(query, totalOrder(query)).where,
    beside: query.joins,
    groupBy: query.groupBy,
    having: query.having,
    joined: [],
    bound: new Map(),
    lock: undefined,
    isReversed: false,
    places: undefined,
    outputs: [output],
    rows: { shape: { kind: "value", slot: 0, type: { kind: "integer" } }, identity: [], joined: [], fed: [] },
    ...cut,
  };
}

/** The statement that counts a query's rows. */
export function planCount(query: QueryState): StatementPlan {
  const { limit, offset } = query;
  return planScalar(
    query,
    `number of rows of ${query.source.entity.name}`,
    { kind: "rowCount" },
    { limit, offset, orderBy: [] },
  );
}

/** The statement that gives one row where a query has any, and none where it has not. */
export function planExists(query: QueryState): StatementPlan {
  const limit = Math.min(query.limit ?? 1, 1);
  const purpose = `whether there is a row of ${query.source.entity.name}`;
  return planScalar(query, purpose, { kind: "presence" }, { limit, offset: query.offset, orderBy: [] });
}
