import { type ColumnKind, comparedKind, type ValueType } from "../columns/index.js";
import { type dayCalls, type Node, typeOf } from "../ir/index.js";
import { Built, call, nodeKey, operandOf, wholeNumber } from "./built.js";

const unary = (name: keyof typeof dayCalls, kinds: readonly ColumnKind[], type: ValueType) =>
  function (this: Built): Built {
    return call(this, name, kinds, [], type);
  };

const days: readonly ColumnKind[] = ["date"];
const daysAndInstants: readonly ColumnKind[] = ["date", "timestamp", "localTimestamp"];
const clocks: readonly ColumnKind[] = ["timestamp", "localTimestamp", "time"];
const whole: ValueType = { kind: "integer" };
const day: ValueType = { kind: "date" };

/** An instant that code sees as it sees the one that it is made of. */
const instantOf = (self: Built): ValueType =>
  typeOf(self[nodeKey]).type.isText === true ? { kind: "timestamp", isText: true } : { kind: "timestamp" };

const ofInstant = (name: keyof typeof dayCalls) =>
  function (this: Built): Built {
    return call(this, name, ["timestamp"], [], instantOf(this));
  };

/** How many: a number, or an expression that is any whole number. */
function countOf(self: Built, count: unknown): Node {
  if (typeof count === "number") return wholeNumber(count);
  if (count instanceof Built && typeOf(count[nodeKey]).type.kind === "bigint") return count[nodeKey];
  return operandOf(self[nodeKey], count, whole);
}

/** Methods of days, instants and times of day. */
export const dayMethods = {
  year: unary("year", daysAndInstants, whole),
  month: unary("month", daysAndInstants, whole),
  dayOfMonth: unary("dayOfMonth", daysAndInstants, whole),
  weekday: unary("weekday", daysAndInstants, whole),
  hour: unary("hour", clocks, whole),
  minute: unary("minute", clocks, whole),
  second: unary("second", clocks, whole),
  startOfMonth: unary("startOfMonth", days, day),
  startOfYear: unary("startOfYear", days, day),
  startOfWeek: unary("startOfWeek", days, day),
  startOfQuarter: unary("startOfQuarter", days, day),
  quarter: unary("quarter", daysAndInstants, whole),
  toDay(this: Built) {
    if (comparedKind(typeOf(this[nodeKey]).type.kind) === "text")
      return call(this, "parsedDay", ["text"], [], day, true);
    return call(this, "toDay", ["timestamp", "localTimestamp", "text"], [], day);
  },
  startOfDay: ofInstant("startOfDay"),
  startOfHour: ofInstant("startOfHour"),
  plusSeconds(this: Built, count: unknown) {
    return call(this, "plusSeconds", ["timestamp"], [countOf(this, count)], instantOf(this));
  },
  secondsSince(this: Built, earlier: unknown) {
    return call(this, "secondsSince", ["timestamp"], [operandOf(this[nodeKey], earlier)], whole);
  },
  plusDays(this: Built, count: unknown) {
    return call(this, "plusDays", days, [countOf(this, count)], day);
  },
  plusMonths(this: Built, count: unknown) {
    return call(this, "plusMonths", days, [countOf(this, count)], day);
  },
  monthsSince(this: Built, earlier: unknown) {
    return call(this, "monthsSince", days, [operandOf(this[nodeKey], earlier, day)], whole);
  },
  daysSince(this: Built, earlier: unknown) {
    return call(this, "daysSince", days, [operandOf(this[nodeKey], earlier, day)], whole);
  },
};
