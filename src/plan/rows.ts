import {
  allOf,
  expectKey,
  type Path,
  type Projection,
  pathOn,
  pathTo,
  type QueryState,
  type ReachedRelation,
  type ResolvedEntity,
  type ResolvedMember,
  type ResolvedRelation,
  type SetNode,
  type Strategy,
  setAlong,
  typeOf,
} from "../ir/index.js";
import { planRelatedCount, shapeOfCount } from "./counts.js";
import { mostNesting } from "./nesting.js";
import { totalOrder } from "./order.js";
import { dependsOnOwner } from "./outside.js";
import { hasRow, isRequired } from "./presence.js";
import { withRequiredPaths } from "./required-paths.js";
import {
  keySlots,
  makeSlots,
  presenceSlots,
  type RowsBuilder,
  type StatementBuilder,
  typeOfOutput,
  unfit,
} from "./statement-builder.js";
import type { EntityRow, FollowUp, Mount, ReachNote, RowPlan, Shape } from "./statement-plan.js";
import { type ChosenStrategy, choiceOf } from "./strategy.js";

function shapeOfProjection(
  builder: StatementBuilder,
  rows: RowsBuilder,
  projection: Projection,
  at: readonly string[],
  presence: readonly number[] | undefined,
  strategy: Strategy | undefined,
): Shape {
  if (projection.kind === "value") {
    const { type, isNullable } = typeOf(projection.node);
    return { kind: "value", slot: builder.slots.output(projection.node), type, isNullable };
  }
  if (projection.kind === "rows") {
    const [mount, property] = [at.slice(0, -1), at.at(-1) as string];
    addSet(builder, rows, projection.set, projection.projection, { at: mount, property }, strategy);
    return { kind: "related", cardinality: "many" };
  }
  const fields = projection.fields.map(
    ([name, part]) => [name, shapeOfProjection(builder, rows, part, [...at, name], undefined, strategy)] as const,
  );
  return {
    kind: "object",
    fields,
    presence: presence ?? projection.presence?.map((node) => builder.slots.output(node)),
  };
}

/** Columns and value objects, those that are named or all but heavy ones. */
function shapesOfMembers(
  builder: StatementBuilder,
  path: Path,
  members: ReadonlyMap<string, ResolvedMember>,
  named?: readonly string[],
): (readonly [string, Shape])[] {
  const { slots } = builder;
  const shapes: (readonly [string, Shape])[] = [];
  for (const [name, member] of members) {
    if (named !== undefined && !named.includes(name)) continue;
    if ("fields" in member) {
      const fields = shapesOfMembers(builder, path, member.fields);
      const presence = member.presence?.map((column) => slots.column(path, column));
      shapes.push([name, { kind: "object", fields, presence }]);
    } else if (named !== undefined || !member.isHeavy)
      shapes.push([
        name,
        { kind: "value", slot: slots.column(path, member), type: member.type, isNullable: !member.isRequired },
      ]);
  }
  return shapes;
}

/** Which row an object is, where all of its key is in it. */
function rowOf(columns: readonly (readonly [string, Shape])[], entity: ResolvedEntity): { readonly row?: EntityRow } {
  const slots = new Map(columns.map(([name, shape]) => [name, shape.kind === "value" ? shape.slot : undefined]));
  const key = entity.key.flatMap(({ property }) => slots.get(property) ?? []);
  return key.length === entity.key.length && key.length > 0 ? { row: { entity, key } } : {};
}

/** Everything a row at the end of a path becomes: its columns or its projection, and what it reaches. */
function shapeOfRow(
  builder: StatementBuilder,
  rows: RowsBuilder,
  query: QueryState,
  path: Path,
  at: readonly string[],
  strategy: Strategy | undefined,
): Shape {
  const presence = path.steps.length > 0 && path.mayBeMissing ? presenceSlots(builder, path) : undefined;
  if (query.projection !== undefined)
    return withRequiredPaths(
      builder,
      query,
      shapeOfProjection(builder, rows, query.projection, at, presence, strategy),
    );
  const columns = shapesOfMembers(builder, path, path.entity.members, query.columns);
  const related = query.reach.map(
    (reached) => [reached.relation.name, shapeOfRelation(builder, rows, reached, path, at, strategy)] as const,
  );
  // A class of one's own does not see rows that are only a part of one.
  const make = query.columns === undefined ? path.entity.make : undefined;
  const row = rowOf(columns, path.entity);
  return { kind: "object", fields: [...columns, ...related], presence, make, own: columns.length, ...row };
}

/** The sets that lead to a set, the first of them starting at a row. */
const chainOf = (set: SetNode): readonly [SetNode, ...SetNode[]] =>
  "step" in set.from ? [...chainOf(set.from), set] : [set];

/** Rows of a set in a projection: nested, or by one more statement for all owners, as a relation by batch. */
function addSet(
  builder: StatementBuilder,
  rows: RowsBuilder,
  set: SetNode,
  projection: Projection,
  mount: Mount,
  strategy: Strategy | undefined,
): void {
  const chain = chainOf(set);
  const [{ from: owner, step }] = chain;
  const { source, where, orderBy, limit, offset } = set;
  const query: QueryState = { ...allOf(source), where, orderBy, limit, offset, projection };
  // Another statement would not know the owner's own values.
  const isNested = (strategy ?? builder.settings.strategy) === "nest" || dependsOnOwner(set, projection);
  if (isNested && nestRows(builder, rows, set, query, mount, strategy)) return;
  const keyColumns = step.pairs.map((pair) => pair.from);
  const statement = builder.planFollowUp(query, strategy, {
    purpose: `${step.source.name}.${chain.map((part) => part.step.name).join(".")} of a projection`,
    relation: `${step.source.name}.${chain.map((part) => part.step.name).join(".")}`,
    ownerSteps: chain.map((part) => part.step),
    ownerSets: chain.slice(0, -1),
    ordered: true,
    isMany: true,
  });
  const keys = keySlots(builder, owner as Path, keyColumns);
  rows.followUps.push({ ...mount, cardinality: "many", keys, keyColumns, statement });
}

/** As many values as one call of every engine takes. */
export const mostNested = 100;

/** What the rows of a set become, as one JSON value in a row of their owner; false where a row has too much in it. */
function nestRows(
  builder: StatementBuilder,
  rows: RowsBuilder,
  set: SetNode,
  query: QueryState,
  mount: Mount,
  strategy: Strategy | undefined,
): boolean {
  const inner: StatementBuilder = { ...builder, slots: makeSlots(), joined: undefined };
  const nested = planRows(inner, query, strategy);
  const { outputs } = inner.slots;
  if (outputs.length > mostNested) return false;
  const { source, where, limit, offset } = query;
  const orderBy = totalOrder(query);
  const slot = builder.slots.output({
    kind: "nested",
    set: { ...set, source, where, orderBy, limit, offset },
    outputs,
  });
  rows.nested.push({ ...mount, slot, types: outputs.map(typeOfOutput), rows: nested });
  return true;
}

/** The statement for a relation's rows, by the keys of the rows at the end of a path. */
function planRelated(
  builder: StatementBuilder,
  { relation, query }: ReachedRelation,
  path: Path,
  strategy: Strategy | undefined,
): Omit<FollowUp, keyof Mount> {
  const keyColumns = relation.steps[0].pairs.map((pair) => pair.from);
  const { cardinality } = relation;
  const statement = builder.planFollowUp(query, strategy, {
    purpose: `${relation.source.name}.${relation.name} by batch`,
    relation: `${relation.source.name}.${relation.name}`,
    ownerSteps: relation.steps,
    ordered: cardinality === "many",
    isMany: cardinality === "many",
    deep: query.levels === undefined ? undefined : relation,
  });
  const keys = keySlots(builder, path, keyColumns);
  return { cardinality, keys, keyColumns, statement, required: hasRow(relation) ? relation : undefined };
}

/** A relation to the entity itself, level by level: one statement, sent again for each. */
function planLevels(
  builder: StatementBuilder,
  rows: RowsBuilder,
  { relation, query }: ReachedRelation,
  path: Path,
  at: readonly string[],
  strategy: Strategy | undefined,
): Shape {
  const { cardinality, target, name } = relation;
  if (target !== relation.source) throw unfit(relation, "deep(), and leads to other rows,");
  expectKey(target, "deep()");
  const followUp = planRelated(builder, { relation, query }, path, strategy);
  const isWhole = followUp.statement.closure !== undefined;
  const why = `a tree ${isWhole ? "as a whole: one statement for all levels" : "level by level: the same statement for each"}`;
  builder.notes.push({ relation: `${relation.source.name}.${name}`, how: "batch", why });
  const identity = keySlots(builder, path, target.key);
  rows.followUps.push({ at, property: name, ...followUp, levels: { most: query.levels as number, identity } });
  return { kind: "related", cardinality };
}

/** A relation to be fetched: where it starts, where it is put, and which strategy holds for what it reaches in turn. */
interface Loading {
  readonly draft: StatementBuilder;
  readonly rows: RowsBuilder;
  readonly reached: ReachedRelation;
  readonly path: Path;
  readonly mount: Mount;
  readonly inherited: Strategy | undefined;
  /** Why it is fetched as it is. */
  readonly why: string;
}

const note = ({ draft: builder, reached: { relation } }: Loading, how: ReachNote["how"], why: string): void => {
  builder.notes.push({ relation: `${relation.source.name}.${relation.name}`, how, why });
};

function loadByBatch(loading: Loading, why = loading.why): Shape {
  const { draft: builder, rows, reached, path, mount, inherited } = loading;
  note(loading, "batch", why);
  rows.followUps.push({ ...mount, ...planRelated(builder, reached, path, inherited) });
  return { kind: "related", cardinality: reached.relation.cardinality };
}

function loadNested(loading: Loading, why = loading.why): Shape {
  const { draft: builder, rows, reached, path, mount, inherited } = loading;
  const { relation, query } = reached;
  if (builder.isInMemory === true) return loadByBatch(loading, "rows in memory already");
  if (!nestRows(builder, rows, setAlong(path, relation), query, mount, inherited))
    return loadByBatch(loading, `more than ${mostNested} values a row, too many to nest`);
  note(loading, "nest", why);
  return { kind: "related", cardinality: relation.cardinality };
}

function loadJoined(loading: Loading): Shape {
  const { draft: builder, rows, reached, path, mount, inherited } = loading;
  const { relation, query } = reached;
  if (builder.isInMemory === true) return loadByBatch(loading, "rows in memory already");
  if (relation.cardinality === "one") {
    note(loading, "join", loading.why);
    const others = pathOn(path, relation);
    builder.bound.set(query.source, others);
    const row = shapeOfRow(builder, rows, query, others, [...mount.at, mount.property], inherited);
    return isRequired(relation, builder.settings) ? requiredShape(builder, relation, path, others, row) : row;
  }
  if (builder.joined === undefined)
    return loadNested(loading, "inside of nested rows, which have no rows of their own to join");
  note(loading, "join", loading.why);
  const { source, where, limit, offset } = query;
  builder.joined.push({ source, relation, from: path, where, orderBy: totalOrder(query), limit, offset });
  rows.joined.push({ ...mount, rows: planRows(builder, query, inherited) });
  return { kind: "related", cardinality: relation.cardinality };
}

/** The ways in which a relation is fetched: a new one is a row here. */
const loaders: Readonly<Record<ChosenStrategy, (loading: Loading) => Shape>> = {
  join: loadJoined,
  batch: loadByBatch,
  nest: loadNested,
};

function shapeOfRelation(
  builder: StatementBuilder,
  rows: RowsBuilder,
  reached: ReachedRelation,
  path: Path,
  at: readonly string[],
  strategy: Strategy | undefined,
): Shape {
  const { relation, query } = reached;
  if (query.isCounted)
    return builder.isInMemory === true
      ? planRelatedCount(builder, rows, reached, path, at)
      : shapeOfCount(builder, relation, query, path);
  const inherited = query.strategy ?? strategy;
  if (query.levels !== undefined) return planLevels(builder, rows, reached, path, at, inherited);
  const { strategy: chosen, why } = choiceOf(relation, {
    reached: query.strategy,
    query: strategy,
    database: builder.settings.strategy,
    isBelowMany: builder.isBelowMany === true && path.steps.length === 0,
    isBelowFew: isListOfFew(builder, reached, path),
  });
  // A join tells rows apart by their keys.
  const isUnsure =
    relation.cardinality === "many" && chosen === "join" && (isWithoutKey(path.source) || isWithoutKey(query.source));
  // What is lifted for a statement is so for all of it.
  const isLifting = query.lifted.some((name) => !builder.settings.lifted?.includes(name));
  const choice = isLifting
    ? ({ strategy: "batch", why: "it lifts standing conditions that hold for its owners" } as const)
    : isUnsure
      ? ({ strategy: "batch", why: "rows without a key are not told apart in a join" } as const)
      : { strategy: chosen, why };
  return loaders[choice.strategy]({
    why: choice.why,
    draft: builder,
    rows,
    reached,
    path,
    mount: { at, property: relation.name },
    inherited,
  });
}

/** Whether a relation's rows are lists that are best nested in the rows of a statement, which are so few. */
const isListOfFew = (
  { most, joined, settings: { nests } }: StatementBuilder,
  reached: ReachedRelation,
  path: Path,
): boolean => nests !== undefined && most <= mostNesting(reached, path, joined === undefined, nests);

const isWithoutKey = ({ entity }: QueryState["source"]): boolean => entity.key.length === 0;

/** The shape of a joined row without which there is an error. */
function requiredShape(
  builder: StatementBuilder,
  relation: ResolvedRelation,
  path: Path,
  others: Path,
  row: Shape,
): Shape {
  const keys = keySlots(
    builder,
    path,
    relation.steps[0].pairs.map((pair) => pair.from),
  );
  const presence = presenceSlots(builder, others);
  return { kind: "required", row, relation, keys, presence };
}

/** A row's shape with the place of what is below it. */
function withDeep(shape: Shape, deep: ResolvedRelation | undefined): Shape {
  if (deep === undefined || shape.kind !== "object") return shape;
  const { name, cardinality } = deep;
  return { ...shape, fields: [...shape.fields, [name, { kind: "related", cardinality }]] };
}

/** How the rows of a query within a statement are assembled. */
export function planRows(
  builder: StatementBuilder,
  query: QueryState,
  strategy: Strategy | undefined,
  deep?: ResolvedRelation,
): RowPlan {
  const rows: RowsBuilder = { joined: [], nested: [], followUps: [] };
  const path = pathTo(query.source);
  const shape = withDeep(shapeOfRow(builder, rows, query, path, [], strategy), deep);
  const isJoined = builder.joined?.some((joined) => joined.source === query.source) === true;
  const identity = isJoined || rows.joined.length > 0 ? keySlots(builder, path, query.source.entity.key) : [];
  return { shape, identity, ...rows, maker: { of: undefined, make: undefined } };
}
