import type { ValueType } from "../../columns/index.js";
import type { AggregateDetails, AggregateName } from "../../ir/index.js";

/** Where an order says that rows without a value come. */
export type NullPlace = "first" | "last" | undefined;

/**
 * What stands behind each function of an aggregate: which rows it is of, by a further condition too, or what makes a
 * window of it.
 */
export type Over = (also?: () => string) => string;

/** An aggregate to be printed. */
export interface PrintedAggregate extends Omit<AggregateDetails<never>, "orderBy"> {
  readonly name: AggregateName;
  /** The type of what it gives, and of the values that it is made of. */
  readonly type: ValueType;
  readonly of: ValueType;
  /** The values; any number of times. */
  readonly operand: () => string;
  /** What stands after them inside of the brackets where they are sorted. */
  readonly order: () => string;
  readonly over: Over;
}

/** Aggregates with one name in every engine; an average is that of a sum and a count. */
const standardAggregates = new Set(["count", "sum", "avg", "min", "max"] as const);
type StandardAggregate = typeof standardAggregates extends ReadonlySet<infer A> ? A : never;

/** The text of each aggregate that SQL has no one text for: one that a dialect lacks does not compile. */
export type Aggregates = Readonly<
  Record<Exclude<AggregateName, StandardAggregate>, (of: PrintedAggregate) => string>
> & {
  /**
   * An exact quotient, rounded to so many digits after the point; the divisor, which is not zero, has at most so many
   * digits.
   */
  readonly quotient: (dividend: string, divisor: string, scale: number, digits: number) => string;
  /** The type of floating-point numbers. */
  readonly double: string;
};

const isStandard = (name: AggregateName): name is StandardAggregate =>
  (standardAggregates as ReadonlySet<AggregateName>).has(name);

/** Digits of the number of rows. */
export const countDigits = 19;

/**
 * An aggregate's text: SQL's own, or as the engine says it. An average is a double of an exact sum, unless it has a
 * scale.
 */
export function printAggregate(of: PrintedAggregate, { quotient, double, ...own }: Aggregates): string {
  const { name, operand, over } = of;
  const said = (call: string) => `${call}(${of.isDistinct ? "distinct " : ""}${operand()})${over()}`;
  if (!isStandard(name)) return own[name](of);
  if (name !== "avg" || of.of.kind === "double") return said(name);
  if (of.type.kind === "numeric") return quotient(said("sum"), said("count"), of.type.scale as number, countDigits);
  return `cast(${said("sum")} as ${double}) / ${said("count")}`;
}

/** A text between single quotes. */
export const quotedText = (text: string): string => `'${text.replaceAll("'", "''")}'`;

/** What an insert does where a row is there already, as two of the engines say it. */
export const standardConflict = (by: readonly string[], set: string): string =>
  `on conflict (${by.join(", ")}) do ${set === "" ? "nothing" : `update set ${set}`}`;
