import { checked, date, monthsBetween } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  type Day,
  type Expression,
  expression,
  isExpression,
  literal,
  type NumberExpression,
  nodeOf,
} from "../expression/index.js";
import { type Node, valueNode } from "../ir/index.js";
import type { Derived } from "./combined-types.js";
import { derivedEntity } from "./derived.js";
import { from, queryOf } from "./query.js";

/** A whole number, or a template's parameter in its place. */
export type WholeBound = number | Expression<number, "integer">;

/** A day, or a template's parameter in its place. */
export type DayBound = string | Expression<string, "date">;

const whole = { kind: "integer" } as const;

/** Some engines make a list of as many texts of it. */
const most = 5_000_000;

function bound(value: unknown, call: string): Node {
  if (isExpression(value)) return nodeOf(value);
  return valueNode(checked(value, whole, `${call}()`), whole);
}

/** Whole numbers from one to another, both included: none where the second is less than the first. */
function numbers(first: WholeBound, last: WholeBound): Derived<NumberExpression<number, "integer">> {
  if (typeof first === "number" && typeof last === "number" && last - first >= most)
    throw new GemachError("VALUE_UNFIT", {
      column: "series",
      expected: "at most 5,000,000 values",
      got: "bounds that lie further apart",
    });
  const [start, end] = [bound(first, "series.numbers"), bound(last, "series.numbers")];
  const entity = derivedEntity("series", [{ kind: "value", node: start }], { kind: "series", from: start, to: end });
  return queryOf(entity) as Derived<NumberExpression<number, "integer">>;
}

const dayOf = (given: DayBound): Day<string> =>
  isExpression(given) ? expression(nodeOf(given)) : literal(date, given);

const day = 86_400_000;

/** How many days, or whole months, lie between two. */
function between(first: DayBound, last: DayBound, unit: "days" | "months"): WholeBound {
  const [start, end] = [dayOf(first), dayOf(last)];
  if (typeof first !== "string" || typeof last !== "string")
    return unit === "months" ? end.monthsSince(start) : end.daysSince(start);
  return unit === "months" ? monthsBetween(first, last) : Math.round((Date.parse(last) - Date.parse(first)) / day);
}

/**
 * Rows that no table has: one for each number, day or month from one to another, both included. They are a source like
 * any query: `from(series.days("2026-01-01", "2026-01-31")).leftJoin(Loan, (day, loan) => loan.due.is(day))`.
 * @throws GemachError `VALUE_UNFIT` for what is no bound, or bounds that are further apart than 5,000,000
 */
export const series = {
  numbers,
  /** Every day. */
  days(first: DayBound, last: DayBound): Derived<Day<string>> {
    const start = dayOf(first);
    return from(numbers(0, between(first, last, "days")).select((n) => start.plusDays(n)));
  },
  /** A day of every month, or the last one of months that have fewer days. */
  months(first: DayBound, last: DayBound): Derived<Day<string>> {
    const start = dayOf(first);
    return from(numbers(0, between(first, last, "months")).select((n) => start.plusMonths(n)));
  },
} as const;
