import { comparedKind, kinds, type Scalar } from "../columns/index.js";
import {
  type Hole,
  isLimited,
  type Node,
  pathTo,
  type QueryState,
  type ResolvedColumn,
  type Source,
  type Step,
  type Strategy,
} from "../ir/index.js";
import { besideCursor } from "./beside-cursor.js";
import { totalOrder } from "./order.js";
import { ownerIndex } from "./owner-index.js";
import { planRows } from "./rows.js";
import { keySlots, makeSlots, type StatementBuilder, type StatementRole } from "./statement-builder.js";
import type { JoinedSource, LateLimits, Output, PlanSettings, StatementPlan } from "./statement-plan.js";
import { isWholeTree } from "./whole-tree.js";

/** Whether equal keys are the same on the wire on both ends of a step. */
const isKeyedByBytes = ({ pairs }: Step): boolean =>
  pairs.every(
    ({ from, to }) =>
      kinds[from.kind].isKeyedByBytes &&
      kinds[to.kind].isKeyedByBytes &&
      comparedKind(from.kind) === comparedKind(to.kind),
  );

/** Where the rows say whose they are: in columns of their own, in those of a row on the way, or by a position. */
function ownerSlots(
  builder: StatementBuilder,
  source: Source,
  [first, ...others]: readonly Step[],
  byPosition: boolean,
): readonly number[] {
  if (first === undefined) return [];
  if (byPosition) return [builder.slots.output({ kind: "owner", part: 0, type: { kind: "integer" } })];
  if (others.length === 0)
    return keySlots(
      builder,
      pathTo(source),
      first.pairs.map((pair) => pair.to),
    );
  return first.pairs.map(({ to }, part) => builder.slots.output({ kind: "owner", part, type: to.type }));
}

function planStatement(
  query: QueryState,
  strategy: Strategy | undefined,
  given: PlanSettings,
  role: StatementRole & {
    readonly hasPlaces?: boolean;
    readonly limits?: LateLimits;
    readonly cursorValues?: CursorValues;
  },
): StatementPlan {
  const lifted = query.lifted.length === 0 ? (given.lifted ?? []) : [...(given.lifted ?? []), ...query.lifted];
  const settings: PlanSettings = query.lifted.length === 0 ? given : { ...given, lifted };
  const joined: JoinedSource[] = [];
  const builder: StatementBuilder = {
    slots: makeSlots(),
    joined,
    bound: new Map(),
    notes: [],
    settings,
    isBelowMany: role.isMany === true && settings.isLarge === true,
    most: role.most ?? Number.POSITIVE_INFINITY,
    planFollowUp: (others, inherited, of) => planStatement(others, inherited, settings, of),
  };
  const inner = planRows(builder, query, strategy, role.deep);
  const { purpose, relation, ownerSteps, ownerSets = [], ordered, deep, hasPlaces = false, limits = query } = role;
  const levels =
    deep === undefined
      ? undefined
      : {
          keys: keySlots(
            builder,
            pathTo(query.source),
            deep.steps[0].pairs.map((pair) => pair.from),
          ),
          identity: keySlots(builder, pathTo(query.source), deep.target.key),
        };
  const { source } = query;
  const { limit, offset } = limits;
  const order = totalOrder(query);
  const { where, sorted, isReversed } = besideCursor(query, order, limit !== undefined, role.cursorValues);
  const byPosition = ownerSteps[0] !== undefined && !isKeyedByBytes(ownerSteps[0]);
  const owners = ownerSlots(builder, source, ownerSteps, byPosition);
  // Several owners may share a row, each of which has its own.
  const rows = inner.joined.length === 0 ? inner : { ...inner, identity: [...owners, ...inner.identity] };
  const places = hasPlaces ? { order, slots: order.map(({ node }) => builder.slots.output(node)) } : undefined;
  return {
    purpose,
    relation,
    source,
    ownerSteps,
    ownerSets,
    byPosition,
    ownerSlots: owners,
    limitPerOwner: ownerSteps.length > 0 && isLimited(query) ? { limit: query.limit, offset: query.offset } : undefined,
    ownerIndex: ownerSets.length > 0 ? "none" : ownerIndex(source, ownerSteps, order),
    where,
    joins: query.joins,
    groupBy: query.groupBy,
    having: query.having,
    orderBy: ordered || joined.length > 0 ? sorted : [],
    limit,
    offset,
    joined,
    bound: builder.bound,
    outputs: builder.slots.outputs,
    lock: query.lock,
    isReversed,
    places,
    levels,
    closure: isWholeTree(query, deep, settings) && !byPosition ? deep?.steps[0] : undefined,
    rows,
    isLarge: settings.isLarge === true,
    isTrusting: settings.isTrusting === true,
    isPlannedAnew: query.isPlannedAnew,
    lifted,
    notes: builder.notes,
  };
}

/** So many rows, or fewer, are few. */
export const few = 100;

const sized = (settings: PlanSettings, query: QueryState): PlanSettings => ({
  ...settings,
  isLarge: mostOf(query) > few,
});

const ownRows = ({ source }: QueryState): StatementRole => ({
  purpose: `rows of ${source.entity.name}`,
  ownerSteps: [],
  ordered: true,
});

/** The columns of the rows themselves that conditions give a value each. */
function fixedColumns(where: readonly Node[], source: Source): readonly ResolvedColumn[] {
  return where.flatMap((node): readonly ResolvedColumn[] => {
    if (node.kind === "logic" && node.operator === "and") return fixedColumns(node.items, source);
    if (node.kind !== "compare" || node.comparison !== "equal" || node.left.kind !== "column") return [];
    const { path, column } = node.left;
    const isOwn = path.source === source && path.steps.length === 0;
    return isOwn && (node.right.kind === "value" || node.right.kind === "hole") ? [column] : [];
  });
}

/** Whether conditions name a row by its whole key, or by a unique column. */
function isOfOneRow({ where, source, joins }: QueryState): boolean {
  if (joins.length > 0) return false;
  const { key } = source.entity;
  const fixed = fixedColumns(where, source);
  return (key.length > 0 && key.every((column) => fixed.includes(column))) || fixed.some(({ isUnique }) => isUnique);
}

/** How many rows a query has at most, as far as it says so. */
const mostOf = (query: QueryState): number => (isOfOneRow(query) ? 1 : (query.limit ?? Number.POSITIVE_INFINITY));

/** The statements that bring a query's rows with all they reach. */
export function planList(query: QueryState, settings: PlanSettings): StatementPlan {
  return planStatement(query, query.strategy, sized(settings, query), { ...ownRows(query), most: mostOf(query) });
}

/** The follow-ups of rows in memory of an entity, and the columns that hold the keys for it. */
export function planReach(query: QueryState, settings: PlanSettings): Pick<StatementPlan, "rows" | "outputs"> {
  const slots = makeSlots();
  const builder: StatementBuilder = {
    slots,
    joined: undefined,
    bound: new Map(),
    notes: [],
    settings,
    most: Number.POSITIVE_INFINITY,
    isInMemory: true,
    planFollowUp: (others, inherited, of) =>
      planStatement(others, inherited, { ...settings, lifted: query.lifted }, of),
  };
  const related = { ...query, columns: [] };
  return { rows: planRows(builder, related, query.strategy), outputs: slots.outputs };
}

/** The numbers that limit a page or a portion are given when it is sent: one statement serves all of them. */
export const deferredLimits = { limit: { hole: "\0limit" }, offset: { hole: "\0offset" } } as const;

/** The values of a cursor are given when the statement is sent; their places, undefined where there is no value. */
export type CursorValues = readonly (Hole | undefined)[];

/** The values of a cursor by the places that a plan has for them. */
export const cursorValues = (values: readonly Scalar[]): CursorValues =>
  values.map((value, i) => (value === null ? undefined : { hole: `\0cursor ${i}` }));

/** How many rows are asked for: so many, where the statement has to say it, else what is said when it is sent. */
const asked = (size: number, { isLimitSaid = false }: PlanSettings) => {
  const isLarge = size > few;
  if (isLimitSaid) return { isLarge, limit: size, most: size };
  return { isLarge, limit: deferredLimits.limit, most: isLarge ? Number.POSITIVE_INFINITY : few };
};

/** One page of a query's rows; where it begins is said when it is sent. */
export const planPage =
  (size: number) =>
  (query: QueryState, settings: PlanSettings): StatementPlan => {
    const { isLarge, limit, most } = asked(size, settings);
    const limits = { limit, offset: deferredLimits.offset };
    return planStatement(query, query.strategy, { ...settings, isLarge }, { ...ownRows(query), limits, most });
  };

/** So many rows of a query, with their places in its order; `values`: where the cursor's are given when it is sent. */
export const planPortion =
  (size: number, values?: CursorValues) =>
  (query: QueryState, settings: PlanSettings): StatementPlan => {
    const { isLarge, limit, most } = asked(size, settings);
    const limits = { limit, offset: query.offset };
    const role = {
      ...ownRows(query),
      hasPlaces: true,
      limits,
      most,
      ...(values === undefined ? {} : { cursorValues: values }),
    };
    return planStatement(query, query.strategy, { ...settings, isLarge }, role);
  };

/**
 * The statements that bring the one row of a query. Two rows are asked for, to see whether there
 * are several; their order does not matter unless the query itself is limited.
 */
export function planSingle(query: QueryState, settings: PlanSettings): StatementPlan {
  const isLimited = query.limit !== undefined || query.offset !== undefined;
  const two = { ...query, limit: Math.min(query.limit ?? 2, 2) };
  const purpose = `the row of ${query.source.entity.name}`;
  return planStatement(two, query.strategy, settings, { purpose, ownerSteps: [], ordered: isLimited, most: 1 });
}

function planScalar(
  query: QueryState,
  { isTrusting = false }: PlanSettings,
  purpose: string,
  output: Output,
  limits: Pick<StatementPlan, "limit" | "offset" | "orderBy">,
): StatementPlan {
  return {
    purpose,
    relation: undefined,
    source: query.source,
    ownerSteps: [],
    ownerSets: [],
    byPosition: false,
    ownerSlots: [],
    limitPerOwner: undefined,
    ownerIndex: "none",
    where: besideCursor(query, totalOrder(query), false).where,
    joins: query.joins,
    groupBy: query.groupBy,
    having: query.having,
    joined: [],
    bound: new Map(),
    lock: undefined,
    isReversed: false,
    places: undefined,
    levels: undefined,
    closure: undefined,
    isLarge: false,
    isTrusting,
    isPlannedAnew: query.isPlannedAnew,
    lifted: query.lifted,
    notes: [],
    outputs: [output],
    rows: {
      shape: { kind: "value", slot: 0, type: { kind: "integer" }, isNullable: true },
      identity: [],
      joined: [],
      nested: [],
      followUps: [],
      maker: { of: undefined, make: undefined },
    },
    ...limits,
  };
}

/** The statement that counts a query's rows. */
export function planCount(query: QueryState, settings: PlanSettings): StatementPlan {
  const { limit, offset } = query;
  return planScalar(
    query,
    settings,
    `number of rows of ${query.source.entity.name}`,
    { kind: "rowCount" },
    { limit, offset, orderBy: [] },
  );
}

/** The statement that gives one row where a query has any, and none where it has not. */
export function planExists(query: QueryState, settings: PlanSettings): StatementPlan {
  const limit = Math.min(query.limit ?? 1, 1);
  const purpose = `whether there is a row of ${query.source.entity.name}`;
  return planScalar(query, settings, purpose, { kind: "presence" }, { limit, offset: query.offset, orderBy: [] });
}
