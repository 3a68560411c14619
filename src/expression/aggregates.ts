import { comparedKind, comparedKindsThat, digitsOf, kinds, typeWord, type ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { isExpression, nodeOf, orderNodes } from "./expression.js";
import { labelOf, typeOf } from "./node.js";
import type { AggregateDetails, Node, NodeType } from "./resolved.js";
import type { AggregateName } from "./words.js";

const numbers = comparedKindsThat(({ isNumber }) => isNumber);
const ranked = comparedKindsThat(({ isRanked }) => isRanked);
const elements = comparedKindsThat(({ isElement, isSortable }) => isElement && isSortable);

/** Kinds that each aggregate takes; a count takes anything. */
const takes: Partial<Record<AggregateName, readonly string[]>> = {
  sum: numbers,
  avg: numbers,
  median: numbers,
  stddev: numbers,
  min: ranked,
  max: ranked,
  percentile: ranked.filter((kind) => kind !== "text"),
  joined: ["text"],
  values: elements,
};

const withoutCodec = ({ codec: _, ...type }: ValueType): ValueType => type;

/** An identity is a whole number to whoever did not hand it out. */
const plainOf = (type: ValueType): ValueType => (type.kind === "identity" ? { kind: "integer" } : type);

/** The type of an aggregate of values of a type; `scale`: of an exact average. A sum of decimals has room for a billion of them. */
function resultOf(name: AggregateName, { type }: NodeType, scale: number | undefined): ValueType {
  switch (name) {
    case "count":
      return { kind: "integer" };
    case "avg": {
      if (scale === undefined) return { kind: "double" };
      const [digits, fraction] = digitsOf(type);
      return { kind: "numeric", precision: Math.min(65, digits - fraction + scale), scale };
    }
    case "median":
    case "stddev":
      return { kind: "double" };
    case "sum": {
      const { kind, precision = 1, scale: digits = 0 } = type;
      if (kind === "numeric") return { kind, precision: Math.min(65, precision + 9), scale: digits };
      return plainOf(withoutCodec(type));
    }
    case "joined":
      return { kind: "text" };
    case "values":
      return { kind: "list", element: plainOf(type), isGathered: true };
    default:
      return type;
  }
}

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
  const fitting = takes[aggregate];
  const kind = comparedKind(own.type.kind);
  if (fitting !== undefined && !fitting.includes(kind))
    throw new GemachError("KIND_UNFIT", { call: aggregate, kinds: fitting, column: labelOf(operand), kind });
  expectSaid(aggregate, said, own);
  // Values that stand in an order of their own, or tie in another, are sorted by themselves.
  const isSorted = (aggregate === "joined" || aggregate === "values") && kinds[own.type.kind].isSortable;
  const orderBy = isSorted ? [...details.orderBy, { node: operand, descending: false }] : [];
  const isAlwaysThere = aggregate === "count" || aggregate === "values";
  return {
    aggregate,
    operand,
    type: resultOf(aggregate, own, scale),
    isNullable: !isAlwaysThere && (aggregate === "stddev" || !hasRows || own.isNullable),
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

/** What can be asked of many rows, by how an aggregate of them is made. */
export const aggregateMethods = (make: MakeAggregate) => ({
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
});

/** The names of what can be asked of many rows. */
export const aggregateNames = Object.keys(aggregateMethods(() => undefined)) as readonly (keyof ReturnType<
  typeof aggregateMethods
>)[];

/** An aggregate's order by what a callback gave. */
export const saidOrder = (given: unknown): AggregateDetails["orderBy"] =>
  given === undefined ? [] : orderNodes(given);
