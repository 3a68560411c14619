import { daysOf } from "./instant.js";

/** Year, month from 0, and day of the month. */
const partsOf = (day: string): readonly [year: number, month: number, day: number] => [
  Number(day.slice(0, 4)),
  Number(day.slice(5, 7)) - 1,
  Number(day.slice(8, 10)),
];

const digits = (value: number, count: number): string => String(value).padStart(count, "0");

/** The day so many months later, or the last of that month where it has fewer days. */
export function monthsLater(day: string, months: number): string {
  const [year, month, dayOfMonth] = partsOf(day);
  const all = year * 12 + month + months;
  const [inYear, inMonth] = [Math.floor(all / 12), (((all % 12) + 12) % 12) + 1];
  return `${digits(inYear, 4)}-${digits(inMonth, 2)}-${digits(Math.min(dayOfMonth, daysOf(inYear, inMonth)), 2)}`;
}

/** The whole months from one day to another, negative where that is earlier. */
export function monthsBetween(from: string, to: string): number {
  const [[y1, m1, d1], [y2, m2, d2]] = [partsOf(from), partsOf(to)];
  const months = (y2 - y1) * 12 + m2 - m1;
  if (months > 0 && d2 < d1) return months - 1;
  return months < 0 && d2 > d1 ? months + 1 : months;
}
