import {
  type Aggregates,
  aggregated,
  aggregateNames,
  and,
  type Expression,
  expression,
  type GroupAggregates,
  nodeOf,
  type Predicate,
  predicateGiven,
} from "../expression/index.js";

/** What rows are grouped by: an expression, or an object of such. */
export type GroupKeys = Expression | { readonly [name: string]: Expression };

/** A group of rows: what they have in common, and what can be worked out of all of them. */
export interface Group<A extends readonly unknown[], K> extends GroupAggregates<A> {
  /** What the rows are grouped by. */
  readonly key: K;
  /** The rows of the group for which a predicate is true, for what is worked out of them. */
  where(predicate: (...rows: A) => Predicate): Aggregates<A>;
}

type Callback = (...rows: readonly unknown[]) => unknown;

/** A group for callbacks: its aggregates are expressions. */
export function groupOf(keys: unknown, rows: readonly unknown[], filters: readonly Predicate[] = []): object {
  const filter = filters.length === 0 ? undefined : nodeOf(and(...filters));
  const aggregate = (name: (typeof aggregateNames)[number] | "count", of?: Callback) =>
    expression({ kind: "group", filter, ...aggregated(name, of?.(...rows), filter === undefined) });
  return {
    key: keys,
    where: (predicate: Callback) => {
      const node = predicateGiven(() => predicate(...rows), "where");
      return groupOf(keys, rows, [...filters, expression(node)]);
    },
    count: () => aggregate("count"),
    ...Object.fromEntries(aggregateNames.map((name) => [name, (of: Callback) => aggregate(name, of)])),
  };
}
