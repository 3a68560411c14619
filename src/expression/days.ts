import type { ColumnKind, ValueType } from "../columns/index.js";
import { type Built, call, constant, nodeKey, operandOf } from "./built.js";
import type { DayCall } from "./calls.js";
import { typeOf } from "./node.js";

const unary = (name: DayCall, kinds: readonly ColumnKind[], type: ValueType) =>
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

const ofInstant = (name: DayCall) =>
  function (this: Built): Built {
    return call(this, name, ["timestamp"], [], instantOf(this));
  };

/** What days, instants and times of day can be asked. */
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
  toDay: unary("toDay", ["timestamp", "localTimestamp"], day),
  startOfDay: ofInstant("startOfDay"),
  startOfHour: ofInstant("startOfHour"),
  plusSeconds(this: Built, count: unknown) {
    const node = typeof count === "number" ? constant(count, "integer") : operandOf(this[nodeKey], count, whole);
    return call(this, "plusSeconds", ["timestamp"], [node], instantOf(this));
  },
  secondsSince(this: Built, earlier: unknown) {
    return call(this, "secondsSince", ["timestamp"], [operandOf(this[nodeKey], earlier)], whole);
  },
  plusDays(this: Built, count: unknown) {
    const node =
      typeof count === "number" ? constant(count, "integer") : operandOf(this[nodeKey], count, { kind: "integer" });
    return call(this, "plusDays", days, [node], day);
  },
  daysSince(this: Built, earlier: unknown) {
    return call(this, "daysSince", days, [operandOf(this[nodeKey], earlier, day)], whole);
  },
};
