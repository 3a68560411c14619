import { type Aggregates, countDigits, type PrintedAggregate, printAggregate, quotedText } from "../../print/parts.js";
import { inJson } from "./in-json.js";

const distinct = (isDistinct: boolean): string => (isDistinct ? "distinct " : "");

/** Aggregates as SQLite, 3.44 or later, says them, with the functions that the driver adds. */
export const sqliteAggregates: Aggregates = {
  double: "real",
  quotient: (dividend, divisor, scale) => `gemach_quotient(${dividend}, ${divisor}, ${scale})`,
  // What is distinct can be of one value only: the function that the driver adds looks for equal ones itself.
  joined: ({ isDistinct, operand, separator = "", order, over }) =>
    isDistinct
      ? `gemach_joined(${operand()}, ${quotedText(separator)}${order()})${over()}`
      : `group_concat(${operand()}, ${quotedText(separator)}${order()})${over()}`,
  values: ({ isDistinct, operand, order, over, of }) =>
    `json_group_array(${distinct(isDistinct)}${inJson(operand(), of)}${order()})${over(() => `${operand()} is not null`)}`,
  median: ({ operand, over }) => `gemach_median(${operand()})${over()}`,
  percentile: ({ operand, fraction, over, of }) => {
    const isNumber = of.kind === "numeric";
    const value = isNumber ? `gemach_decimal(${operand()})` : operand();
    const found = `gemach_percentile(${value}, ${fraction})${over()}`;
    return isNumber ? `gemach_digits(${found}, ${of.scale})` : found;
  },
  stddev: ({ operand, isOfAll, over }) => `gemach_stddev(${operand()}, ${isOfAll ? 1 : 0})${over()}`,
};

/** An aggregate's text. Exact decimals are stored as text, and functions that the driver adds work with them. */
export function sqliteAggregate(of: PrintedAggregate): string {
  const { name, operand, over } = of;
  if (of.of.kind !== "numeric") return printAggregate(of, sqliteAggregates);
  const sum = () => `gemach_sum(${distinct(of.isDistinct)}${operand()})${over()}`;
  const count = () => `count(${distinct(of.isDistinct)}${operand()})${over()}`;
  if (name === "sum") return sum();
  if (name === "avg")
    return of.type.kind === "numeric"
      ? sqliteAggregates.quotient(sum(), count(), of.type.scale as number, countDigits)
      : `gemach_double(${sum()}) / ${count()}`;
  if (name === "min" || name === "max")
    return `gemach_digits(${name}(gemach_decimal(${operand()}))${over()}, ${of.of.scale})`;
  return printAggregate(of, sqliteAggregates);
}
