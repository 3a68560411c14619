import {
  type Node,
  type OrderNode,
  pathTo,
  type QueryState,
  type Source,
  type Step,
  type Strategy,
} from "../expression/index.js";
import { afterCursor, reversed } from "./cursor.js";
import { type Draft, type Feed, keySlots, makeSlots } from "./draft.js";
import { totalOrder } from "./order.js";
import { ownerIndex } from "./owner-index.js";
import { planRows } from "./rows.js";
import type { JoinedSource, Output, PlanSettings, StatementPlan } from "./statement-plan.js";

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
  feed: Feed & { readonly hasPlaces?: boolean },
): StatementPlan {
  const joined: JoinedSource[] = [];
  const draft: Draft = {
    slots: makeSlots(),
    joined,
    bound: new Map(),
    notes: [],
    settings,
    isBelowMany: feed.isMany === true && settings.isLarge === true,
    feed: (fed, inherited, of) => planStatement(fed, inherited, settings, of),
  };
  const rows = planRows(draft, query, strategy, feed.deep);
  const { purpose, fedOver, fedSets = [], ordered, deep, hasPlaces = false } = feed;
  const levels =
    deep === undefined
      ? undefined
      : {
          keys: keySlots(
            draft,
            pathTo(query.source),
            deep.steps[0].pairs.map((pair) => pair.from),
          ),
          identity: keySlots(draft, pathTo(query.source), deep.target.key),
        };
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
    ownerIndex: fedSets.length > 0 ? "none" : ownerIndex(source, fedOver, order),
    where,
    beside: query.joins,
    groupBy: query.groupBy,
    having: query.having,
    orderBy: ordered || joined.length > 0 ? sorted : [],
    limit,
    offset,
    joined,
    bound: draft.bound,
    outputs: draft.slots.outputs,
    lock: query.lock,
    isReversed,
    places,
    levels,
    rows,
    isLarge: settings.isLarge === true,
    notes: draft.notes,
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

/** So many rows, or fewer, are few. */
export const few = 100;

const sized = ({ strategy }: PlanSettings, { limit }: QueryState): PlanSettings => ({
  strategy,
  isLarge: limit === undefined || limit > few,
});

/** The statements that bring a query's rows with all they reach. */
export function planList(query: QueryState, settings: PlanSettings): StatementPlan {
  const purpose = `rows of ${query.source.entity.name}`;
  return planStatement(query, query.strategy, sized(settings, query), { purpose, fedOver: [], ordered: true });
}

/** What rows in memory of an entity feed, and the columns that hold the keys for it. */
export function planReach(query: QueryState, settings: PlanSettings): Pick<StatementPlan, "rows" | "outputs"> {
  const slots = makeSlots();
  const draft: Draft = {
    slots,
    joined: undefined,
    bound: new Map(),
    notes: [],
    settings,
    isInMemory: true,
    feed: (fed, inherited, of) => planStatement(fed, inherited, settings, of),
  };
  const related = { ...query, columns: [] };
  return { rows: planRows(draft, related, query.strategy), outputs: slots.outputs };
}

/** The same, with the places of the rows in the query's order. */
export function planSlice(query: QueryState, settings: PlanSettings): StatementPlan {
  const purpose = `rows of ${query.source.entity.name}`;
  const feed = { purpose, fedOver: [], ordered: true, hasPlaces: true } as const;
  return planStatement(query, query.strategy, sized(settings, query), feed);
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
    ownerIndex: "none",
    where: besideCursor(query, totalOrder(query)).where,
    beside: query.joins,
    groupBy: query.groupBy,
    having: query.having,
    joined: [],
    bound: new Map(),
    lock: undefined,
    isReversed: false,
    places: undefined,
    levels: undefined,
    isLarge: false,
    notes: [],
    outputs: [output],
    rows: {
      shape: { kind: "value", slot: 0, type: { kind: "integer" } },
      identity: [],
      joined: [],
      nested: [],
      fed: [],
      past: { isUsed: false },
    },
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
