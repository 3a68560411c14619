import { comparedKind, comparedKindsThat, typeWord, type ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { isExpression, nodeOf } from "./expression.js";
import type { Expression, ExpressionOf, NumberExpression, NumberKind } from "./expression-types.js";
import { labelOf, typeOf } from "./node.js";
import type { Node, NodeType } from "./resolved.js";
import type { AggregateName } from "./words.js";

/** Kinds whose values have a least and a greatest one on every engine. */
export type RankedKind = NumberKind | "text" | "date" | "time" | "timestamp" | "localTimestamp";

const numbers = comparedKindsThat(({ isNumber }) => isNumber);
const ranked = comparedKindsThat(({ isRanked }) => isRanked);

/** Kinds that each aggregate takes; others count anything that can be compared. */
const takes: Partial<Record<AggregateName, readonly string[]>> = {
  sum: numbers,
  avg: numbers,
  min: ranked,
  max: ranked,
};

const withoutCodec = ({ codec: _, ...type }: ValueType): ValueType => type;

/** The type of an aggregate of values of a type. A sum of decimals has room for a billion of them. */
function resultOf(name: AggregateName, { type }: NodeType): ValueType {
  switch (name) {
    case "count":
    case "countDistinct":
      return { kind: "integer" };
    case "avg":
      return { kind: "double" };
    case "sum": {
      const { kind, precision = 1, scale = 0 } = type;
      if (kind === "numeric") return { kind, precision: Math.min(65, precision + 9), scale };
      return kind === "identity" ? { kind: "integer" } : withoutCodec(type);
    }
    default:
      return type;
  }
}

/** What an aggregate is made of, and what it gives. */
export interface Aggregated extends NodeType {
  readonly aggregate: AggregateName;
  readonly operand: Node | undefined;
}

/**
 * An aggregate of what a callback names; `hasRows`: of at least one row.
 * @throws GemachError `VALUE_UNFIT` where that is no expression, or of a kind that cannot be aggregated so.
 */
export function aggregated(aggregate: AggregateName, given?: unknown, hasRows = false): Aggregated {
  if (aggregate === "count") return { aggregate, operand: undefined, type: { kind: "integer" }, isNullable: false };
  if (!isExpression(given))
    throw new GemachError("VALUE_UNFIT", {
      column: `${aggregate}()`,
      expected: "a function that gives an expression",
      got: typeWord(given),
    });
  const operand = nodeOf(given);
  const own = typeOf(operand);
  const kinds = takes[aggregate];
  if (kinds !== undefined && !kinds.includes(comparedKind(own.type.kind)))
    throw new GemachError("KIND_UNFIT", { call: aggregate, kinds, column: labelOf(operand), kind: own.type.kind });
  return {
    aggregate,
    operand,
    type: resultOf(aggregate, own),
    isNullable: aggregate !== "countDistinct" && (!hasRows || own.isNullable),
  };
}

/** in: a kind of number; out: the type of its values in code. */
type Native<K extends NumberKind> = K extends "bigint" ? bigint : K extends "numeric" ? string : number;

/**
 * What can be worked out of many rows. `A`: what the callbacks get of each row.
 * Of no rows, a count is 0 and everything else is missing.
 */
export interface Aggregates<A extends readonly unknown[]> {
  /** How many rows there are. */
  count(): NumberExpression<number, "integer">;
  /** How many different values there are; missing ones do not count. */
  countDistinct(of: (...rows: A) => Expression): NumberExpression<number, "integer">;
  /** The sum of the values that are there. */
  sum<K extends NumberKind>(of: (...rows: A) => Expression<unknown, K>): NumberExpression<Native<K> | null, K>;
  /** The average of the values that are there, as a floating-point number. */
  avg<K extends NumberKind>(of: (...rows: A) => Expression<unknown, K>): NumberExpression<number | null, "double">;
  /** The least value that is there. */
  min<V, K extends RankedKind>(of: (...rows: A) => Expression<V, K>): ExpressionOf<K, V | null>;
  /** The greatest value that is there. */
  max<V, K extends RankedKind>(of: (...rows: A) => Expression<V, K>): ExpressionOf<K, V | null>;
}

/** in: the type of an expression's values; out: null where it may be missing. */
type Absence<V> = V & null;

/**
 * What can be worked out of the rows of a group, all of them: there is at least one, so that nothing is missing but where
 * the values may be. `A`: what the callbacks get of each row.
 */
export interface GroupAggregates<A extends readonly unknown[]> extends Pick<Aggregates<A>, "count" | "countDistinct"> {
  /** The sum of the values that are there. */
  sum<V, K extends NumberKind>(of: (...rows: A) => Expression<V, K>): NumberExpression<Native<K> | Absence<V>, K>;
  /** The average of the values that are there, as a floating-point number. */
  avg<V, K extends NumberKind>(of: (...rows: A) => Expression<V, K>): NumberExpression<number | Absence<V>, "double">;
  /** The least value that is there. */
  min<V, K extends RankedKind>(of: (...rows: A) => Expression<V, K>): ExpressionOf<K, V>;
  /** The greatest value that is there. */
  max<V, K extends RankedKind>(of: (...rows: A) => Expression<V, K>): ExpressionOf<K, V>;
}

/** The aggregates that take a callback. */
export const aggregateNames: readonly AggregateName[] = ["countDistinct", "sum", "avg", "min", "max"];
