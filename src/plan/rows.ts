import type { ValueType } from "../columns/index.js";
import {
  allOf,
  columnAt,
  type Path,
  type Projection,
  pathOn,
  pathTo,
  type QueryState,
  type ReachedRelation,
  type ResolvedColumn,
  type ResolvedMember,
  type SetNode,
  type Source,
  type Step,
  type Strategy,
  setAlong,
  typeOf,
} from "../expression/index.js";
import { totalOrder } from "./order.js";
import type {
  FedStatement,
  JoinedRows,
  JoinedSource,
  Mount,
  NestedRows,
  Output,
  PlanSettings,
  RowPlan,
  Shape,
  StatementPlan,
} from "./statement-plan.js";
import { wayOf } from "./strategy.js";

/** The outputs of a statement under construction; a column that is asked for twice is fetched once. */
export interface Slots {
  readonly outputs: Output[];
  readonly column: (path: Path, column: ResolvedColumn) => number;
  readonly output: (output: Output) => number;
}

/** Outputs, none yet. */
export function makeSlots(): Slots {
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

/** A statement that the rows of another feed. */
export interface Feed {
  readonly purpose: string;
  readonly fedOver: readonly Step[];
  readonly fedSets?: readonly SetNode[];
  readonly ordered: boolean;
}

/** A statement under construction, and the strategies that hold in it. */
export interface Draft {
  readonly slots: Slots;
  /** Undefined inside of nested rows, which have no rows of their own for what is joined. */
  readonly joined: JoinedSource[] | undefined;
  readonly bound: Map<Source, Path>;
  readonly settings: PlanSettings;
  /** Plans a statement that rows of this one feed. */
  readonly feed: (query: QueryState, strategy: Strategy | undefined, feed: Feed) => StatementPlan;
}

/** What the rows of one source bring along: filled while its shape is made. */
interface RowDraft {
  readonly joined: JoinedRows[];
  readonly nested: NestedRows[];
  readonly fed: FedStatement[];
}

function shapeOfProjection(
  draft: Draft,
  rows: RowDraft,
  projection: Projection,
  at: readonly string[],
  presence: readonly number[] | undefined,
  strategy: Strategy | undefined,
): Shape {
  if (projection.kind === "value")
    return { kind: "value", slot: draft.slots.output(projection.node), type: typeOf(projection.node).type };
  if (projection.kind === "rows") {
    const [mount, property] = [at.slice(0, -1), at.at(-1) as string];
    addSet(draft, rows, projection.set, projection.projection, { at: mount, property }, strategy);
    return { kind: "related", cardinality: "many" };
  }
  const fields = projection.fields.map(
    ([name, part]) => [name, shapeOfProjection(draft, rows, part, [...at, name], undefined, strategy)] as const,
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
  if (query.projection !== undefined) return shapeOfProjection(draft, rows, query.projection, at, presence, strategy);
  const columns = shapesOfMembers(draft, path, path.entity.members);
  const related = query.reach.map(
    (reached) => [reached.relation.name, shapeOfRelation(draft, rows, reached, path, at, strategy)] as const,
  );
  return { kind: "object", fields: [...columns, ...related], presence, make: path.entity.make, own: columns.length };
}

/** The sets that lead to a set, the first of them starting at a row. */
const chainOf = (set: SetNode): readonly [SetNode, ...SetNode[]] =>
  "step" in set.from ? [...chainOf(set.from), set] : [set];

/** Rows of a set in a projection: nested, or by one more statement for all owners, as a relation by batch. */
function addSet(
  draft: Draft,
  rows: RowDraft,
  set: SetNode,
  projection: Projection,
  mount: Mount,
  strategy: Strategy | undefined,
): void {
  const chain = chainOf(set);
  const [{ from: owner, step }] = chain;
  const { source, where, orderBy, limit, offset } = set;
  const query: QueryState = { ...allOf(source), where, orderBy, limit, offset, projection };
  if ((strategy ?? draft.settings.strategy) === "nest" && nestRows(draft, rows, set, query, mount, strategy)) return;
  const keyColumns = step.pairs.map((pair) => pair.from);
  const statement = draft.feed(query, strategy, {
    purpose: `${step.source.name}.${chain.map((part) => part.step.name).join(".")} of a projection`,
    fedOver: chain.map((part) => part.step),
    fedSets: chain.slice(0, -1),
    ordered: true,
  });
  const keys = keySlots(draft, owner as Path, keyColumns);
  rows.fed.push({ ...mount, cardinality: "many", keys, keyColumns, statement });
}

/** As many values as one call of every engine takes. */
const mostNested = 100;

/** What the rows of a set become, as one JSON value in a row of their owner; false where a row has too much in it. */
function nestRows(
  draft: Draft,
  rows: RowDraft,
  set: SetNode,
  query: QueryState,
  mount: Mount,
  strategy: Strategy | undefined,
): boolean {
  const inner: Draft = { ...draft, slots: makeSlots(), joined: undefined };
  const nested = planRows(inner, query, strategy);
  const { outputs } = inner.slots;
  if (outputs.length > mostNested) return false;
  const { source, where, limit, offset } = query;
  const orderBy = totalOrder(query);
  const slot = draft.slots.output({
    kind: "nested",
    set: { ...set, source, where, orderBy, limit, offset },
    outputs,
  });
  rows.nested.push({ ...mount, slot, types: outputs.map(typeOfOutput), rows: nested });
  return true;
}

function typeOfOutput(output: Output): ValueType | undefined {
  if (output.kind === "nested") return undefined;
  if (output.kind === "owner") return output.type;
  return output.kind === "rowCount" || output.kind === "presence" ? { kind: "integer" } : typeOf(output).type;
}

/** The slots of columns at the end of a path. */
export const keySlots = ({ slots }: Draft, path: Path, columns: readonly ResolvedColumn[]): readonly number[] =>
  columns.map((column) => slots.column(path, column));

function shapeOfRelation(
  draft: Draft,
  rows: RowDraft,
  { relation, query }: ReachedRelation,
  path: Path,
  at: readonly string[],
  strategy: Strategy | undefined,
): Shape {
  const wished = wayOf(relation, { reached: query.strategy, query: strategy, database: draft.settings.strategy });
  const inherited = query.strategy ?? strategy;
  const mount = { at, property: relation.name };
  const { cardinality } = relation;
  // Rows that are nested have none of their own for what would be joined to them.
  const isNested = wished === "nest" || (wished === "join" && cardinality === "many" && draft.joined === undefined);
  if (isNested && nestRows(draft, rows, setAlong(path, relation), query, mount, inherited))
    return { kind: "related", cardinality };
  if (wished === "batch" || isNested) {
    const keyColumns = relation.steps[0].pairs.map((pair) => pair.from);
    const statement = draft.feed(query, inherited, {
      purpose: `${relation.source.name}.${relation.name} by batch`,
      fedOver: relation.steps,
      ordered: cardinality === "many",
    });
    rows.fed.push({ ...mount, cardinality, keys: keySlots(draft, path, keyColumns), keyColumns, statement });
    return { kind: "related", cardinality };
  }
  if (cardinality === "one" || draft.joined === undefined) {
    const further = pathOn(path, relation);
    draft.bound.set(query.source, further);
    return shapeOfRow(draft, rows, query, further, [...at, relation.name], inherited);
  }
  const { source, where, limit, offset } = query;
  draft.joined.push({ source, relation, from: path, where, orderBy: totalOrder(query), limit, offset });
  rows.joined.push({ ...mount, rows: planRows(draft, query, inherited) });
  return { kind: "related", cardinality };
}

/** How the rows of a query within a statement are assembled. */
export function planRows(draft: Draft, query: QueryState, strategy: Strategy | undefined): RowPlan {
  const rows: RowDraft = { joined: [], nested: [], fed: [] };
  const path = pathTo(query.source);
  const shape = shapeOfRow(draft, rows, query, path, [], strategy);
  const isJoined = draft.joined?.some((joined) => joined.source === query.source) === true;
  const identity = isJoined || rows.joined.length > 0 ? keySlots(draft, path, query.source.entity.key) : [];
  return { shape, identity, ...rows };
}
