import { type ColumnKind, comparedKindsThat, digitsOf, type ValueType } from "../columns/index.js";

/** How an aggregate of many values works; its text is each dialect's. */
export interface AggregateRule {
  /** The kinds of values that it takes; undefined: any. */
  readonly takes: readonly ColumnKind[] | undefined;
  /** The type of its value, by the type of the values and, for an exact average, the digits after the point. */
  readonly resultOf: (type: ValueType, scale: number | undefined) => ValueType;
  /** Whether it has a value if there are no rows. */
  readonly isAlwaysThere: boolean;
  /** Whether it may be null although each of several rows has a value. */
  readonly mayBeNull: boolean;
  /** Whether its values stand in an order. */
  readonly isSorted: boolean;
  /** Whether it may be seen in a window of rows around each row. */
  readonly isWindowed: boolean;
}

const numbers = comparedKindsThat(({ isNumber }) => isNumber);
const ranked = comparedKindsThat(({ isRanked }) => isRanked);
const elements = comparedKindsThat(({ isElement, isSortable }) => isElement && isSortable);

const double = (): ValueType => ({ kind: "double" });

/** An identity is a whole number to whoever did not generate it. */
const plainOf = (type: ValueType): ValueType => (type.kind === "identity" ? { kind: "integer" } : type);

/** A sum of decimals has room for a billion of them. */
function sumOf({ codec: _, ...type }: ValueType): ValueType {
  const { kind, precision = 1, scale = 0 } = type;
  return kind === "numeric" ? { kind, precision: Math.min(65, precision + 9), scale } : plainOf(type);
}

function averageOf(type: ValueType, scale: number | undefined): ValueType {
  if (scale === undefined) return { kind: "double" };
  const [digits, fraction] = digitsOf(type);
  return { kind: "numeric", precision: Math.min(65, digits - fraction + scale), scale };
}

const usual = { isAlwaysThere: false, mayBeNull: false, isSorted: false, isWindowed: false } as const;

/**
 * All aggregates. `joined`: one text of all; `values`: a list; `percentile`: the least value at or below which a
 * fraction of them is; `median`: the mean of the one or two in the middle; `stddev`: the standard deviation.
 */
export const aggregateRules = {
  count: { ...usual, takes: undefined, resultOf: () => ({ kind: "integer" }), isAlwaysThere: true, isWindowed: true },
  sum: { ...usual, takes: numbers, resultOf: sumOf, isWindowed: true },
  avg: { ...usual, takes: numbers, resultOf: averageOf, isWindowed: true },
  min: { ...usual, takes: ranked, resultOf: (type) => type, isWindowed: true },
  max: { ...usual, takes: ranked, resultOf: (type) => type, isWindowed: true },
  joined: { ...usual, takes: ["text"], resultOf: () => ({ kind: "text" }), isSorted: true },
  values: {
    ...usual,
    takes: elements,
    resultOf: (type) => ({ kind: "list", element: plainOf(type), isGathered: true }),
    isAlwaysThere: true,
    isSorted: true,
  },
  median: { ...usual, takes: numbers, resultOf: double },
  percentile: { ...usual, takes: ranked.filter((kind) => kind !== "text"), resultOf: (type) => type },
  stddev: { ...usual, takes: numbers, resultOf: double, mayBeNull: true },
} as const satisfies Record<string, AggregateRule>;

/** The name of an aggregate. */
export type AggregateName = keyof typeof aggregateRules;

/** The name of an aggregate that may be seen in a window. */
export type WindowAggregate = {
  [A in AggregateName]: (typeof aggregateRules)[A]["isWindowed"] extends true ? A : never;
}[AggregateName];
