import type { ValueType } from "../../columns/index.js";
import type { AggregateName } from "../../expression/index.js";

/** Where an order says that rows without a value come. */
export type NullPlace = "first" | "last" | undefined;

/** What stands behind each function of an aggregate: which rows it is of, or what makes a window of it. */
export type Over = () => string;

/** An aggregate, the type of what it gives, and that of the values that it is made of. */
export interface AggregateTypes {
  readonly name: AggregateName;
  readonly type: ValueType;
  readonly of: ValueType;
}

/** The names of aggregates as SQL has them; an average is a double, of an exact sum where the values are exact. */
export function standardAggregate(
  operand: () => string,
  { name, of }: AggregateTypes,
  over: Over,
  double: string,
): string {
  if (name === "countDistinct") return `count(distinct ${operand()})${over()}`;
  if (name === "avg" && of.kind !== "double")
    return `cast(sum(${operand()})${over()} as ${double}) / count(${operand()})${over()}`;
  return `${name}(${operand()})${over()}`;
}

/** A text between single quotes. */
export const quotedText = (text: string): string => `'${text.replaceAll("'", "''")}'`;

/** What an insert does where a row is there already, as two of the engines say it. */
export const standardConflict = (by: readonly string[], set: string): string =>
  `on conflict (${by.join(", ")}) do ${set === "" ? "nothing" : `update set ${set}`}`;
