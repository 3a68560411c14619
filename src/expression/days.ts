import type { ColumnKind, ValueType } from "../columns/index.js";
import { type Built, call, constant, nodeKey, operandOf } from "./built.js";
import type { DayCall } from "./calls.js";

const unary = (name: DayCall, kinds: readonly ColumnKind[], type: ValueType) =>
  function (this: Built): Built {
    return call(this, name, kinds, [], type);
  };

const days: readonly ColumnKind[] = ["date"];
const daysAndInstants: readonly ColumnKind[] = ["date", "timestamp"];
const clocks: readonly ColumnKind[] = ["timestamp", "time"];
const whole: ValueType = { kind: "integer" };
const day: ValueType = { kind: "date" };

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
  toDay: unary("toDay", ["timestamp"], day),
  plusDays(this: Built, count: unknown) {
    const node =
      typeof count === "number" ? constant(count, "integer") : operandOf(this[nodeKey], count, { kind: "integer" });
    return call(this, "plusDays", days, [node], day);
  },
  daysSince(this: Built, earlier: unknown) {
    return call(this, "daysSince", days, [operandOf(this[nodeKey], earlier, day)], whole);
  },
};
