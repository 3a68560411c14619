/** What hand-written SQL of these questions has to say in another way on each engine. */
export interface HandDialect {
  readonly year: (day: string) => string;
  readonly month: (day: string) => string;
  /**
   * A decimal column as a number that sums and products are exact of. SQLite stores decimals as text: whole units of a
   * hundredth.
   */
  readonly units: (column: string) => string;
  /** One, beside such numbers. */
  readonly one: string;
  /** What was worked out of such numbers as a decimal with so many digits after the point. */
  readonly decimal: (units: string, scale: number) => string;
  /** An exact quotient, rounded. */
  readonly quotient: (dividend: string, divisor: string, scale: number) => string;
  /** The first day of a day's month; the day of an instant; the day of its week, from Monday, 1. */
  readonly monthOf: (day: string) => string;
  readonly dayOf: (instant: string) => string;
  readonly weekday: (day: string) => string;
  /** Selects of days in a column day, and of first days of months in a column month. */
  readonly days: (from: string, to: string) => string;
  readonly months: (from: string, to: string) => string;
  /** A decimal as a floating-point number. */
  readonly number: (column: string) => string;
  readonly joined: (text: string, separator: string, order: string) => string;
  /** Orders in which what is missing comes first, and last of all in descending order. */
  readonly first: (term: string) => string;
  readonly last: (term: string) => string;
  readonly hasFullJoin: boolean;
  readonly daysBetween: (from: string, to: string) => string;
  readonly today: string;
}

const postgres: HandDialect = {
  year: (day) => `cast(extract(year from ${day}) as integer)`,
  month: (day) => `cast(extract(month from ${day}) as integer)`,
  units: (column) => column,
  one: "1",
  decimal: (units) => units,
  quotient: (dividend, divisor, scale) => `round(${dividend} / ${divisor}, ${scale})`,
  monthOf: (day) => `cast(date_trunc('month', ${day}) as date)`,
  dayOf: (instant) => `cast(${instant} at time zone 'UTC' as date)`,
  weekday: (day) => `cast(extract(isodow from ${day}) as integer)`,
  days: (from, to) =>
    `select cast(d as date) as day from generate_series(date '${from}', date '${to}', interval '1 day') as d`,
  months: (from, to) =>
    `select cast(d as date) as month from generate_series(date '${from}', date '${to}', interval '1 month') as d`,
  number: (column) => `cast(${column} as double precision)`,
  joined: (text, separator, order) => `string_agg(${text}, '${separator}' order by ${order})`,
  first: (term) => `${term} nulls first`,
  last: (term) => `${term} desc nulls last`,
  hasFullJoin: true,
  daysBetween: (from, to) => `${to} - ${from}`,
  today: "date '2026-05-01'",
};

/** The dialects by the names of the engines. */
export const handDialects: Readonly<Record<string, HandDialect>> = {
  PostgreSQL: postgres,
  PGlite: postgres,
  MariaDB: {
    ...postgres,
    year: (day) => `year(${day})`,
    month: (day) => `month(${day})`,
    monthOf: (day) => `cast(date_format(${day}, '%Y-%m-01') as date)`,
    dayOf: (instant) => `cast(${instant} as date)`,
    weekday: (day) => `weekday(${day}) + 1`,
    days: (from, to) =>
      `with recursive d (day) as (select cast('${from}' as date) union all select date_add(day, interval 1 day) from d where day < '${to}') select day from d`,
    months: (from, to) =>
      `with recursive m (month) as (select cast('${from}' as date) union all select date_add(month, interval 1 month) from m where month < '${to}') select month from m`,
    number: (column) => `cast(${column} as double)`,
    joined: (text, separator, order) => `group_concat(${text} order by ${order} separator '${separator}')`,
    first: (term) => term,
    last: (term) => `${term} desc`,
    hasFullJoin: false,
    today: "'2026-05-01'",
    daysBetween: (from, to) => `datediff(${to}, ${from})`,
  },
  SQLite: {
    year: (day) => `cast(substr(${day}, 1, 4) as integer)`,
    month: (day) => `cast(substr(${day}, 6, 2) as integer)`,
    units: (column) => `cast(round(${column} * 100) as integer)`,
    one: "100",
    decimal: (units, scale) =>
      `printf('%s%d.%0${scale}d', case when ${units} < 0 then '-' else '' end, abs(${units}) / 1${"0".repeat(scale)}, abs(${units}) % 1${"0".repeat(scale)})`,
    quotient: (dividend, divisor, scale) => `round(1.0 * ${dividend} / ${divisor}, ${scale})`,
    monthOf: (day) => `date(${day}, 'start of month')`,
    dayOf: (instant) => `substr(${instant}, 1, 10)`,
    weekday: (day) => `(strftime('%w', ${day}) + 6) % 7 + 1`,
    days: (from, to) =>
      `with recursive d (day) as (select '${from}' union all select date(day, '+1 day') from d where day < '${to}') select day from d`,
    months: (from, to) =>
      `with recursive m (month) as (select '${from}' union all select date(month, '+1 month') from m where month < '${to}') select month from m`,
    number: (column) => `cast(${column} as real)`,
    joined: (text, separator, order) => `group_concat(${text}, '${separator}' order by ${order})`,
    first: (term) => term,
    last: (term) => `${term} desc`,
    hasFullJoin: true,
    daysBetween: (from, to) => `cast(julianday(${to}) - julianday(${from}) as integer)`,
    today: "'2026-05-01'",
  },
};
