/** What hand-written SQL of these questions has to say in another way on each engine. */
export interface HandDialect {
  readonly year: (day: string) => string;
  readonly month: (day: string) => string;
  /** A decimal column as a number that sums and products are exact of. SQLite stores decimals as text: whole units of a hundredth. */
  readonly units: (column: string) => string;
  /** One, beside such numbers. */
  readonly one: string;
  /** What was worked out of such numbers as a decimal with so many digits after the point. */
  readonly decimal: (units: string, scale: number) => string;
  /** An exact quotient, rounded. */
  readonly quotient: (dividend: string, divisor: string, scale: number) => string;
  readonly plusDays: (day: string, days: string) => string;
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
  plusDays: (day, days) => `${day} + ${days}`,
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
    plusDays: (day, days) => `date_add(${day}, interval ${days} day)`,
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
    plusDays: (day, days) => `date(${day}, ${days} || ' days')`,
    daysBetween: (from, to) => `cast(julianday(${to}) - julianday(${from}) as integer)`,
    today: "'2026-05-01'",
  },
};
