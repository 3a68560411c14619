const zero = 48;
const hyphen = 45;

/**
 * The number that digits are from a place of a text to another; -1 where there is something else. Measured: a pattern
 * takes twice as long.
 */
export function digitsIn(text: string, from: number, to: number): number {
  let number = 0;
  for (let i = from; i < to; i++) {
    const digit = text.charCodeAt(i) - zero;
    if (digit < 0 || digit > 9) return -1;
    number = number * 10 + digit;
  }
  return number;
}

const isLeap = (year: number): boolean => year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0);

/** How many days a month has; the fourth, sixth, ninth and eleventh have thirty. */
export const daysOf = (year: number, month: number): number => {
  if (month === 2) return isLeap(year) ? 29 : 28;
  return month === 4 || month === 6 || month === 9 || month === 11 ? 30 : 31;
};

/** A calendar day of the years 1 to 9999, "2026-05-01". */
export function isDay(value: string): boolean {
  if (value.length !== 10 || value.charCodeAt(4) !== hyphen || value.charCodeAt(7) !== hyphen) return false;
  const year = digitsIn(value, 0, 4);
  const month = digitsIn(value, 5, 7);
  const day = digitsIn(value, 8, 10);
  return year > 0 && month > 0 && month < 13 && day > 0 && (day < 29 || day <= daysOf(year, month));
}

const sixDigits = (fraction: string | undefined): string => (fraction ?? "").padEnd(6, "0");

/** "08:30" or "08:30:00.5" as "08:30:00.500000"; undefined where it is no time of day. */
export function canonicalTime(value: string): string | undefined {
  const match = /^([01]\d|2[0-3]):([0-5]\d)(?::([0-5]\d)(?:\.(\d{1,6}))?)?$/.exec(value);
  return match === null ? undefined : `${match[1]}:${match[2]}:${match[3] ?? "00"}.${sixDigits(match[4])}`;
}

/** An instant in the form for dialects, so many whole seconds later; its fraction stays as it is. */
export function secondsLater(canonical: string, seconds: number): string {
  const later = new Date(Date.parse(`${canonical.slice(0, 19)}Z`) + seconds * 1000).toISOString();
  return `${later.slice(0, 19)}${canonical.slice(19)}`;
}

/**
 * A day and a time of day of no zone, of the years 1 to 9999, as short as they can be said and with a blank between
 * them, as all engines write and compare them: "2026-05-01 08:30:00.25". Undefined where it is none.
 */
export function canonicalLocal(value: string): string | undefined {
  const [day = "", clock = "", ...more] = value.split(/[T ]/);
  const time = isDay(day) && more.length === 0 ? canonicalTime(clock) : undefined;
  return time === undefined ? undefined : `${day} ${shortTime(time)}`;
}

const microseconds = (canonical: string): bigint =>
  BigInt(Date.parse(`${canonical.slice(0, 19)}Z`)) * 1000n + BigInt(canonical.slice(20, 26));

/** The whole seconds from one instant to another, both in the form for dialects. */
export const secondsBetween = (from: string, to: string): number =>
  Number((microseconds(to) - microseconds(from)) / 1_000_000n);

/** A time of day as short as it can be said: without a fraction of zero. */
export const shortTime = (canonical: string): string => canonical.replace(/\.?0+$/, "");

/**
 * An instant, written as ISO 8601 or as servers write it ("2026-05-01 08:30:00+02"), in UTC with six
 * digits of a second: "2026-05-01T06:30:00.000000Z". Undefined where it is none, or not in the years
 * 1 to 9999. Servers give zones of long ago with seconds ("+00:53:28").
 */
export function canonicalInstant(value: string): string | undefined {
  const match =
    /^(\d{4,5})(-\d{2}-\d{2})[T ](\d{2}:\d{2}(?::\d{2}(?:\.\d{1,6})?)?)(Z|([+-])(\d{2})(?::?(\d{2})(?::?(\d{2}))?)?)( BC)?$/.exec(
      value,
    );
  if (match === null) return undefined;
  const [, year = "", rest = "", clock = "", , sign, hours = "0", minutes = "0", seconds = "0", isBefore] = match;
  const time = canonicalTime(clock);
  if (time === undefined) return undefined;
  if (sign === undefined) return isDay(year + rest) && isBefore === undefined ? `${year}${rest}T${time}Z` : undefined;
  const offset = (Number(hours) * 3600 + Number(minutes) * 60 + Number(seconds)) * 1000;
  const utc = dayAt(isBefore === undefined ? Number(year) : 1 - Number(year), rest);
  if (utc === undefined) return undefined;
  const at = utc + Date.parse(`1970-01-01T${time.slice(0, 8)}Z`) - (sign === "+" ? offset : -offset);
  const moved = new Date(at).toISOString();
  return /^\d{4}-/.test(moved) && !moved.startsWith("0000") ? `${moved.slice(0, 19)}.${time.slice(9)}Z` : undefined;
}

/**
 * The milliseconds at which a day of a year begins: also one that belongs to the years 1 to 9999 in another zone alone.
 */
function dayAt(year: number, monthAndDay: string): number | undefined {
  const [, month = "", day = ""] = monthAndDay.split("-");
  const begin = new Date(0).setUTCFullYear(year, Number(month) - 1, Number(day));
  const found = new Date(begin);
  return found.getUTCMonth() + 1 === Number(month) && found.getUTCDate() === Number(day) ? begin : undefined;
}
