import {
  allOf,
  type Path,
  type Projection,
  pathOn,
  pathTo,
  type QueryState,
  type ReachedRelation,
  type ResolvedMember,
  type ResolvedRelation,
  type SetNode,
  type Strategy,
  setAlong,
  typeOf,
} from "../expression/index.js";
import { feedCount, shapeOfCount } from "./counts.js";
import { type Draft, keySlots, makeSlots, type RowDraft, typeOfOutput, unfit } from "./draft.js";
import { totalOrder } from "./order.js";
import { hasRow, isInsisted } from "./presence.js";
import type { FedStatement, Mount, ReachNote, RowPlan, Shape } from "./statement-plan.js";
import { wayOf } from "./strategy.js";

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

/** Columns and value objects, those that are named or all but heavy ones. */
function shapesOfMembers(
  draft: Draft,
  path: Path,
  members: ReadonlyMap<string, ResolvedMember>,
  named?: readonly string[],
): (readonly [string, Shape])[] {
  const { slots } = draft;
  const shapes: (readonly [string, Shape])[] = [];
  for (const [name, member] of members) {
    if (named !== undefined && !named.includes(name)) continue;
    if ("fields" in member) {
      const fields = shapesOfMembers(draft, path, member.fields);
      const presence = member.presence?.map((column) => slots.column(path, column));
      shapes.push([name, { kind: "object", fields, presence }]);
    } else if (named !== undefined || !member.isHeavy)
      shapes.push([name, { kind: "value", slot: slots.column(path, member), type: member.type }]);
  }
  return shapes;
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
  const columns = shapesOfMembers(draft, path, path.entity.members, query.columns);
  const related = query.reach.map(
    (reached) => [reached.relation.name, shapeOfRelation(draft, rows, reached, path, at, strategy)] as const,
  );
  // A class of one's own is not told of rows that are only a part of one.
  const make = query.columns === undefined ? path.entity.make : undefined;
  return { kind: "object", fields: [...columns, ...related], presence, make, own: columns.length };
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
    isMany: true,
  });
  const keys = keySlots(draft, owner as Path, keyColumns);
  rows.fed.push({ ...mount, cardinality: "many", keys, keyColumns, statement });
}

/** As many values as one call of every engine takes. */
export const mostNested = 100;

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

/** The statement for a relation's rows, by the keys of the rows at the end of a path. */
function feedRelation(
  draft: Draft,
  { relation, query }: ReachedRelation,
  path: Path,
  strategy: Strategy | undefined,
): Omit<FedStatement, keyof Mount> {
  const keyColumns = relation.steps[0].pairs.map((pair) => pair.from);
  const { cardinality } = relation;
  const statement = draft.feed(query, strategy, {
    purpose: `${relation.source.name}.${relation.name} by batch`,
    fedOver: relation.steps,
    ordered: cardinality === "many",
    isMany: cardinality === "many",
    deep: query.levels === undefined ? undefined : relation,
  });
  const keys = keySlots(draft, path, keyColumns);
  return { cardinality, keys, keyColumns, statement, insisted: hasRow(relation) ? relation : undefined };
}

/** A relation to the entity itself, level by level: one statement, sent again for each. */
function feedLevels(
  draft: Draft,
  rows: RowDraft,
  { relation, query }: ReachedRelation,
  path: Path,
  at: readonly string[],
  strategy: Strategy | undefined,
): Shape {
  const { cardinality, steps, target, name } = relation;
  if (steps.length > 1 || target !== relation.source) throw unfit(relation, "deep(), and leads to other rows,");
  const why = "a tree level by level: the same statement for each";
  draft.notes.push({ relation: `${relation.source.name}.${name}`, how: "batch", why });
  const fed = feedRelation(draft, { relation, query }, path, strategy);
  const identity = keySlots(draft, path, target.key);
  rows.fed.push({ at, property: name, ...fed, levels: { most: query.levels as number, identity } });
  return { kind: "related", cardinality };
}

function shapeOfRelation(
  draft: Draft,
  rows: RowDraft,
  { relation, query }: ReachedRelation,
  path: Path,
  at: readonly string[],
  strategy: Strategy | undefined,
): Shape {
  if (query.isCounted)
    return draft.isInMemory === true
      ? feedCount(draft, rows, { relation, query }, path, at)
      : shapeOfCount(draft, relation, query, path);
  if (query.levels !== undefined)
    return feedLevels(draft, rows, { relation, query }, path, at, query.strategy ?? strategy);
  const chosen = wayOf(relation, {
    reached: query.strategy,
    query: strategy,
    database: draft.settings.strategy,
    isBelowMany: draft.isBelowMany === true && path.steps.length === 0,
  });
  const inherited = query.strategy ?? strategy;
  const mount = { at, property: relation.name };
  const { cardinality } = relation;
  const note = (how: ReachNote["how"], why: string) =>
    draft.notes.push({ relation: `${relation.source.name}.${relation.name}`, how, why });
  const isInside = chosen.way === "join" && cardinality === "many" && draft.joined === undefined;
  const isNested = chosen.way === "nest" || isInside;
  if (isNested && nestRows(draft, rows, setAlong(path, relation), query, mount, inherited)) {
    note("nest", isInside ? "inside of nested rows, which have no rows of their own to join" : chosen.why);
    return { kind: "related", cardinality };
  }
  if (chosen.way === "batch" || isNested || draft.isInMemory) {
    const why = isNested ? `more than ${mostNested} values a row, too many to nest` : "rows in memory already";
    note("batch", chosen.way === "batch" ? chosen.why : why);
    rows.fed.push({ ...mount, ...feedRelation(draft, { relation, query }, path, inherited) });
    return { kind: "related", cardinality };
  }
  if (cardinality === "one" || draft.joined === undefined) {
    note("join", chosen.why);
    const further = pathOn(path, relation);
    draft.bound.set(query.source, further);
    const row = shapeOfRow(draft, rows, query, further, [...at, relation.name], inherited);
    return isInsisted(relation) ? insistedShape(draft, relation, path, further, row) : row;
  }
  note("join", chosen.why);
  const { source, where, limit, offset } = query;
  draft.joined.push({ source, relation, from: path, where, orderBy: totalOrder(query), limit, offset });
  rows.joined.push({ ...mount, rows: planRows(draft, query, inherited) });
  return { kind: "related", cardinality };
}

/** The shape of a joined row without which there is an error. */
function insistedShape(draft: Draft, relation: ResolvedRelation, path: Path, further: Path, row: Shape): Shape {
  const keys = keySlots(
    draft,
    path,
    relation.steps[0].pairs.map((pair) => pair.from),
  );
  const presence = keySlots(draft, further, further.entity.key).slice(0, 1);
  return { kind: "insisted", row, relation, keys, presence };
}

/** A row's shape with the place of what is below it. */
function withDeep(shape: Shape, deep: ResolvedRelation | undefined): Shape {
  if (deep === undefined || shape.kind !== "object") return shape;
  const { name, cardinality } = deep;
  return { ...shape, fields: [...shape.fields, [name, { kind: "related", cardinality }]] };
}

/** How the rows of a query within a statement are assembled. */
export function planRows(
  draft: Draft,
  query: QueryState,
  strategy: Strategy | undefined,
  deep?: ResolvedRelation,
): RowPlan {
  const rows: RowDraft = { joined: [], nested: [], fed: [] };
  const path = pathTo(query.source);
  const shape = withDeep(shapeOfRow(draft, rows, query, path, [], strategy), deep);
  const isJoined = draft.joined?.some((joined) => joined.source === query.source) === true;
  const identity = isJoined || rows.joined.length > 0 ? keySlots(draft, path, query.source.entity.key) : [];
  return { shape, identity, ...rows, past: { isUsed: false } };
}
