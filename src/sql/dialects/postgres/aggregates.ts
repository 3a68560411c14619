import { type Aggregates, quotedText } from "../../print/parts.js";
import { castType } from "./types.js";

const distinct = (isDistinct: boolean): string => (isDistinct ? "distinct " : "");

/** Aggregates as PostgreSQL, 13 or later, says them. */
export const postgresAggregates: Aggregates = {
  double: "double precision",
  // The engine rounds a quotient to some 16 digits; a longer dividend has it give enough of them for rounding it again
  // to change nothing.
  quotient: (dividend, divisor, scale, digits) =>
    `round(cast(${dividend} as numeric(${66 + scale + digits}, ${scale + digits + 1})) / ${divisor}, ${scale})`,
  joined: ({ isDistinct, operand, separator = "", order, over }) =>
    `string_agg(${distinct(isDistinct)}${operand()}, ${quotedText(separator)}${order()})${over()}`,
  values: ({ isDistinct, operand, order, over, type }) =>
    `coalesce(array_agg(${distinct(isDistinct)}${operand()}${order()})${over(() => `${operand()} is not null`)}, cast('{}' as ${castType(type)}))`,
  median: ({ operand, over }) => `percentile_cont(0.5) within group (order by ${operand()})${over()}`,
  percentile: ({ operand, fraction, over }) =>
    `percentile_disc(${fraction}) within group (order by ${operand()})${over()}`,
  stddev: ({ operand, isOfAll, over }) =>
    `stddev_${isOfAll ? "pop" : "samp"}(cast(${operand()} as double precision))${over()}`,
};
