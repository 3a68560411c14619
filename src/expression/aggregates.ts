import { comparedKind, kinds, typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  type AggregateDetails,
  type AggregateName,
  type AggregateRule,
  aggregateRules,
  labelOf,
  type Node,
  type NodeType,
  typeOf,
} from "../ir/index.js";
import type { Aggregates, GroupAggregates } from "./aggregate-types.js";
import { isExpression, nodeOf, orderNodes } from "./expression.js";

/** What is said of an aggregate besides the values that it is of. */
export interface Said extends Partial<AggregateDetails> {
  /** Of an exact average: how many digits it has after the point. */
  readonly scale?: number | undefined;
  /** Whether there is at least one row. */
  readonly hasRows?: boolean;
}

/** What an aggregate is made of, and what it gives. */
export interface Aggregated extends NodeType {
  readonly aggregate: AggregateName;
  readonly operand: Node | undefined;
  readonly details: AggregateDetails;
}

const plainly: AggregateDetails = {
  isDistinct: false,
  orderBy: [],
  separator: undefined,
  fraction: undefined,
  isOfAll: false,
};

const unfit = (call: string, expected: string, got: string): GemachError =>
  new GemachError("VALUE_UNFIT", { column: `${call}()`, expected, got });

/** Refuses what an aggregate cannot be told. */
function expectSaid(call: AggregateName, { separator, fraction, scale }: Said, { type }: NodeType): void {
  if (call === "joined" && typeof separator !== "string")
    throw unfit(call, "a text that stands between the others", typeWord(separator));
  if (call === "percentile" && !(typeof fraction === "number" && fraction >= 0 && fraction <= 1))
    throw unfit(call, "a number from 0 to 1", typeof fraction === "number" ? "another" : typeWord(fraction));
  if (scale === undefined) return;
  if (!(Number.isInteger(scale) && scale >= 0 && scale <= 18)) throw unfit(call, "a scale from 0 to 18", "another");
  if (type.kind === "double") throw unfit(call, "exact numbers where a scale is given", "floating-point ones");
}

/**
 * An aggregate of what a callback names.
 * @throws GemachError `VALUE_UNFIT` where that is no expression, or of a kind that cannot be aggregated so.
 */
export function aggregated(aggregate: AggregateName, given?: unknown, said: Said = {}): Aggregated {
  const { scale, hasRows = false, ...details_ } = said;
  const details: AggregateDetails = { ...plainly, ...details_ };
  if (aggregate === "count" && given === undefined)
    return { aggregate, operand: undefined, type: { kind: "integer" }, isNullable: false, details };
  if (!isExpression(given)) throw unfit(aggregate, "a function that gives an expression", typeWord(given));
  const operand = nodeOf(given);
  const own = typeOf(operand);
  const { takes, resultOf, isAlwaysThere, mayBeNull, isSorted }: AggregateRule = aggregateRules[aggregate];
  const kind = comparedKind(own.type.kind);
  if (takes !== undefined && !takes.includes(kind))
    throw new GemachError("KIND_UNFIT", { call: aggregate, kinds: takes, column: labelOf(operand), kind });
  expectSaid(aggregate, said, own);
  // Values that stand in an order of their own, or tie in another, are sorted by themselves.
  const orderBy =
    isSorted && kinds[own.type.kind].isSortable ? [...details.orderBy, { node: operand, descending: false }] : [];
  return {
    aggregate,
    operand,
    type: resultOf(own.type, scale),
    isNullable: !isAlwaysThere && (mayBeNull || !hasRows || own.isNullable),
    details: { ...details, orderBy },
  };
}

type Callback = (...rows: readonly unknown[]) => unknown;

/** Makes an aggregate of what a callback gives, and of what it is sorted by. */
export type MakeAggregate = (name: AggregateName, of?: Callback, said?: Said, order?: Callback) => unknown;

const distinctMethods = (make: MakeAggregate) => ({
  count: (of: Callback) => make("count", of, { isDistinct: true }),
  sum: (of: Callback) => make("sum", of, { isDistinct: true }),
  avg: (of: Callback) => make("avg", of, { isDistinct: true }),
  joined: (of: Callback, separator: string) => make("joined", of, { isDistinct: true, separator }),
  values: (of: Callback) => make("values", of, { isDistinct: true }),
});

/** Each aggregate is a method, and each method has a type for sets and for groups. */
type Methods = Record<AggregateName | keyof Aggregates<[]>, unknown> &
  Record<Exclude<keyof Aggregates<[]>, keyof GroupAggregates<[]>>, never>;

/** What can be asked of many rows, by how an aggregate of them is made. */
export const aggregateMethods = (make: MakeAggregate) =>
  ({
    count: (of?: Callback) => make("count", of),
    countDistinct: (of: Callback) => make("count", of, { isDistinct: true }),
    sum: (of: Callback) => make("sum", of),
    avg: (of: Callback, to?: { readonly scale: number }) => make("avg", of, { scale: to?.scale }),
    min: (of: Callback) => make("min", of),
    max: (of: Callback) => make("max", of),
    median: (of: Callback) => make("median", of),
    percentile: (of: Callback, fraction: number) => make("percentile", of, { fraction }),
    stddev: (of: Callback, rows = "sample") => make("stddev", of, { isOfAll: rows === "population" }),
    joined: (of: Callback, separator: string, order?: Callback) => make("joined", of, { separator }, order),
    values: (of: Callback, order?: Callback) => make("values", of, {}, order),
    distinct: () => distinctMethods(make),
  }) satisfies Methods;

/** The names of what can be asked of many rows. */
export const aggregateNames = Object.keys(aggregateMethods(() => undefined)) as readonly (keyof ReturnType<
  typeof aggregateMethods
>)[];

/** An aggregate's order by what a callback gave. */
export const saidOrder = (given: unknown): AggregateDetails["orderBy"] =>
  given === undefined ? [] : orderNodes(given);
