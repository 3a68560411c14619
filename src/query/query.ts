import { GemachError } from "../errors/index.js";
import {
  allOf,
  columnAt,
  orderNodes,
  pathTo,
  predicateNode,
  type QueryState,
  type ReachedRelation,
  type ResolvedRelation,
  type Strategy,
  strategies,
} from "../expression/index.js";
import { type Definitions, type Entity, type EntityName, type PlainRow, resolve } from "../model/index.js";
import { projectionOf } from "./projection.js";
import { type EntityQuery, type Query, stateKey } from "./query-types.js";
import { referenceAt } from "./reference.js";
import { rowCount } from "./row-count.js";

type Callback = (row: unknown) => unknown;

function refuseLoop(query: BuiltQuery): never {
  throw new GemachError("QUERY_NOT_RUN", { entity: query[stateKey].source.entity.name });
}

/** Sorted as the relation says, where the query does not say how. */
function inOwnOrder(query: QueryState, { steps }: ResolvedRelation): QueryState {
  const order = steps.at(-1)?.order ?? [];
  if (query.orderBy.length > 0 || order.length === 0) return query;
  const orderBy = order.map(({ column, descending }) => ({ node: columnAt(pathTo(query.source), column), descending }));
  return { ...query, orderBy };
}

class BuiltQuery {
  readonly [stateKey]: QueryState;

  constructor(state: QueryState) {
    this[stateKey] = Object.freeze(state);
  }

  #with(change: Partial<QueryState>): BuiltQuery {
    return new BuiltQuery({ ...this[stateKey], ...change });
  }

  #row(): unknown {
    return referenceAt(pathTo(this[stateKey].source));
  }

  where(predicate: Callback): BuiltQuery {
    const node = predicateNode(predicate(this.#row()), "where");
    return this.#with({ where: [...this[stateKey].where, node] });
  }

  orderBy(order: Callback): BuiltQuery {
    const orders = orderNodes(order(this.#row()));
    return this.#with({ orderBy: [...this[stateKey].orderBy, ...orders] });
  }

  limit(rows: number): BuiltQuery {
    return this.#with({ limit: rowCount(rows, "limit") });
  }

  offset(rows: number): BuiltQuery {
    return this.#with({ offset: rowCount(rows, "offset") });
  }

  given(value: unknown, then: (query: BuiltQuery, value: unknown) => BuiltQuery): BuiltQuery {
    return value === undefined || value === null ? this : then(this, value);
  }

  how(strategy: Strategy): BuiltQuery {
    if (!strategies.includes(strategy))
      throw new GemachError("STRATEGY_UNKNOWN", { given: String(strategy), known: strategies });
    return this.#with({ strategy });
  }

  reach(shape: object): BuiltQuery {
    const { source, reach } = this[stateKey];
    const reached = Object.entries(shape).map(([name, value]): ReachedRelation => {
      const relation = source.entity.relations.get(name);
      if (relation === undefined) {
        const known = [...source.entity.relations.keys()];
        throw new GemachError("NAME_UNKNOWN", { entity: source.entity.name, name, known });
      }
      const all = new BuiltQuery(allOf({ entity: relation.target }));
      const fault = (got: string) =>
        new GemachError("REACH_UNFIT", { entity: source.entity.name, relation: name, got });
      if (value === true) return { relation, query: inOwnOrder(all[stateKey], relation) };
      if (typeof value === "function") {
        const narrowed: unknown = value(all);
        if (!isQuery(narrowed) || narrowed[stateKey].source !== all[stateKey].source)
          throw fault("a function that does not return the query it got");
        return { relation, query: inOwnOrder(narrowed[stateKey], relation) };
      }
      if (typeof value !== "object" || value === null) throw fault(`${value === null ? "null" : `a ${typeof value}`}`);
      return { relation, query: inOwnOrder(all.reach(value)[stateKey], relation) };
    });
    const again = new Set(reached.map(({ relation }) => relation));
    return this.#with({ reach: [...reach.filter(({ relation }) => !again.has(relation)), ...reached] });
  }

  select(projection: Callback): BuiltQuery {
    return this.#with({
      projection: projectionOf(projection(this.#row()), this[stateKey].source.entity.name),
      reach: [],
    });
  }

  [Symbol.iterator](): never {
    return refuseLoop(this);
  }

  [Symbol.asyncIterator](): never {
    return refuseLoop(this);
  }
}

/** Starts a query: all rows of an entity, each with its columns and nothing else. */
export function from<D extends Definitions, E extends EntityName<D>>(
  entity: Entity<D, E>,
): EntityQuery<D, E, PlainRow<D, E>> {
  return new BuiltQuery(allOf({ entity: resolve(entity) })) as unknown as EntityQuery<D, E, PlainRow<D, E>>;
}

/** Whether a value is a query. @internal */
export function isQuery(value: unknown): value is Query {
  return value instanceof BuiltQuery;
}

/**
 * All that was said of a query.
 * @throws GemachError `QUERY_EXPECTED` for anything else.
 * @internal
 */
export function stateOf(query: unknown, call: string): QueryState {
  if (!isQuery(query)) throw new GemachError("QUERY_EXPECTED", { call });
  return query[stateKey];
}
