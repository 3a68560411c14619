import type { ColumnKind, ValueType } from "../columns/index.js";
import {
  type Aggregates,
  aggregated,
  aggregateMethods,
  and,
  type Comparable,
  type Expression,
  type ExpressionOf,
  expression,
  type GroupAggregates,
  type MakeAggregate,
  nodeOf,
  type Predicate,
  predicateGiven,
  saidOrder,
} from "../expression/index.js";
import { constantNode, type Node, typeOf, valueNode } from "../ir/index.js";

/** The keys that rows are grouped by: an expression, or an object of such. */
export type GroupKeys = Expression | { readonly [name: string]: Expression };

/** The members of many rows besides their aggregates. */
interface OwnAggregate<A extends readonly unknown[]> {
  /**
   * An aggregate in SQL of one's own, of what it names of each row: `g.own((loan) =>
   * sql(integer)`bit_or(${loan.id})`)`.
   */
  own<T extends Expression>(of: (...rows: A) => T): T;
}

/** A group of rows: what they have in common, and what can be worked out of all of them. */
export interface Group<A extends readonly unknown[], K> extends GroupAggregates<A>, OwnAggregate<A> {
  /** The value that the rows are grouped by. */
  readonly key: K;
  /** The rows of the group for which a predicate is true, for what is worked out of them. */
  where(predicate: (...rows: A) => Predicate): Aggregates<A>;
}

/** What rows are grouped by, by name. */
export type NamedKeys = { readonly [name: string]: Expression };

/** A group by some of the keys; the others are missing in it. */
export interface PartGroup<A extends readonly unknown[], K extends NamedKeys> extends AllRows<A> {
  readonly key: { readonly [P in keyof K]: Maybe<K[P]> };
  /** Whether the row is of all values of a key together. */
  isTotal(key: keyof K & string): Comparable<boolean, "boolean">;
}

/** in: an expression; out: the same where it may be missing. */
type Maybe<T> = T extends Expression<infer V, infer N extends ColumnKind> ? ExpressionOf<N, V | null> : never;

/** All rows of a query, for what is worked out of them; there may be none. */
export interface AllRows<A extends readonly unknown[]> extends Aggregates<A>, OwnAggregate<A> {
  /** The rows for which a predicate is true. */
  where(predicate: (...rows: A) => Predicate): Aggregates<A>;
}

type Callback = (...rows: readonly unknown[]) => unknown;

/** What is worked out of rows, as expressions; `hasRows`: whether there is at least one. */
function aggregatesOf(rows: readonly unknown[], hasRows: boolean, filters: readonly Predicate[] = []): object {
  const filter = filters.length === 0 ? undefined : nodeOf(and(...filters));
  const make: MakeAggregate = (name, of, said = {}, order) =>
    expression({
      kind: "group",
      filter,
      ...aggregated(name, of?.(...rows), {
        ...said,
        hasRows: hasRows && filter === undefined,
        orderBy: saidOrder(order?.(...rows)),
      }),
    });
  return {
    ...aggregateMethods(make),
    own: (of: Callback) => of(...rows),
    where: (predicate: Callback) => {
      const node = predicateGiven(() => predicate(...rows), "where");
      return aggregatesOf(rows, hasRows, [...filters, expression(node)]);
    },
  };
}

/** A group for callbacks. */
export const groupOf = (keys: unknown, rows: readonly unknown[]): object => ({
  ...aggregatesOf(rows, true),
  key: keys,
});

/** A group by some keys for a callback; the others have no value. */
export function partOf(
  keys: Readonly<Record<string, Expression>>,
  grouped: readonly string[],
  rows: readonly unknown[],
) {
  const isGrouped = (name: string) => grouped.includes(name);
  const given = Object.entries(keys).map(([name, key]) => {
    const { type } = typeOf(nodeOf(key));
    return [name, isGrouped(name) ? key : expression(valueNode(null, type))] as const;
  });
  const isTotal = (name: string) => expression(constantNode(!isGrouped(name), { kind: "boolean" }));
  return { ...aggregatesOf(rows, false), key: Object.fromEntries(given), isTotal };
}

/** An expression in SQL around another one. */
const around = (before: string, node: Node, after: string, type: ValueType, isNullable: boolean) =>
  expression({ kind: "raw", parts: [before, after], between: [node], type, isNullable });

/** A group by some of the keys that an engine tells by itself (ISO/IEC 9075-2, grouping sets), for a callback. */
export function anyOf(keys: Readonly<Record<string, Expression>>, rows: readonly unknown[]) {
  const given = Object.entries(keys).map(([name, key]) => {
    const node = nodeOf(key);
    return [name, around("", node, "", typeOf(node).type, true)] as const;
  });
  const isTotal = (name: string) =>
    around("grouping(", nodeOf(keys[name] as Expression), ") = 1", { kind: "boolean" }, false);
  return { ...aggregatesOf(rows, false), key: Object.fromEntries(given), isTotal };
}

/** All rows for a callback. */
export const allRows = (rows: readonly unknown[]): object => aggregatesOf(rows, false);
