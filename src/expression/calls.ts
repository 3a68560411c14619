/** Functions of values that a predicate, a projection or an order may have in it. */
export type CallName =
  | ArithmeticCall
  | TextCall
  | MatchCall
  | DayCall
  | "coalesce"
  | JsonCall
  | ParseCall
  | "nullIf"
  | "least"
  | "greatest"
  | "cast";

/** Of numbers. A quotient or remainder by zero is missing. */
export type ArithmeticCall =
  | "plus"
  | "minus"
  | "times"
  | "dividedBy"
  | "remainder"
  | "negated"
  | "absolute"
  | "rounded"
  | "floor"
  | "ceiling";

/** Of texts; positions and lengths count characters (code points), the first is 1. */
export type TextCall = "lower" | "upper" | "length" | "trim" | "concat" | "substring" | "replace";

/** Truth about a text: whether it has another in it, in the places that the name says; `like` knows wildcards. */
export type MatchCall = "contains" | "startsWith" | "endsWith" | "like";

/** Of days and instants, in UTC. Days of the week count from Monday, 1, as in ISO 8601. */
export type DayCall =
  | "year"
  | "month"
  | "dayOfMonth"
  | "weekday"
  | "hour"
  | "minute"
  | "second"
  | "plusSeconds"
  | "secondsSince"
  | "startOfDay"
  | "startOfHour"
  | "plusDays"
  | "daysSince"
  | "startOfMonth"
  | "startOfYear"
  | "startOfWeek"
  | "startOfQuarter"
  | "quarter"
  | "plusMonths"
  | "monthsSince"
  | "toDay"
  | ClockCall;

/** The instant at which the statement is run (on PostgreSQL, at which its transaction began), and its day in UTC. */
export type ClockCall = "now" | "today";

/** What a part of a JSON document holds: a text, a number, a truth value; missing where it holds something else. */
export type JsonCall = "jsonText" | "jsonNumber" | "jsonTruth";

/** What a text says: a whole number of 32 bits, a decimal, a day; missing where it says something else. */
export type ParseCall = "parsedInteger" | "parsedNumeric" | "parsedDay";

/** Calls that another moment answers otherwise. */
export const clockCalls: ReadonlySet<CallName> = new Set<ClockCall>(["now", "today"]);

/** Calls that are true or false. */
export const matchCalls: ReadonlySet<CallName> = new Set<MatchCall>(["contains", "startsWith", "endsWith", "like"]);
