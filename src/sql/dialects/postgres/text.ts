import { type ColumnKind, comparedKind, kinds, type ValueType } from "../../../columns/index.js";
import {
  type CallPrinter,
  type Calls,
  dayPattern,
  decimalPattern,
  dividing,
  isClosed,
  named,
  type PrintedCall,
  wayOf,
  wholePattern,
} from "../../print/calls.js";
import { identifiersOf } from "../../print/identifiers.js";
import { printAggregate, quotedText } from "../../print/parts.js";
import type { TextRules } from "../dialect.js";
import { storedIn } from "../stored.js";
import { postgresAggregates } from "./aggregates.js";
import { castType } from "./types.js";
import { toWire } from "./wire.js";

/** Words besides the standard's that do not stand as names (15: each word of its own list was tried). */
const reserved = `
  analyse analyze asc collation concurrently deferrable desc do freeze ilike initially isnull notnull placing
  returning variadic verbose
`;

const nestedAsIs: ReadonlySet<ColumnKind> = new Set([
  ...(["text", "varchar", "choice", "boolean", "date", "time", "uuid", "identity", "integer"] as const),
]);

/** Null where any operand is: the engine's own functions leave such operands out. */
const unlessMissing =
  (name: string): CallPrinter =>
  ({ node, operand, all }) => {
    const missing = node.of.flatMap(({ isNullable }, i) => (isNullable ? [`${operand(i)} is null`] : []));
    return missing.length === 0
      ? `${name}(${all()})`
      : `case when ${missing.join(" or ")} then null else ${name}(${all()}) end`;
  };

/**
 * A value as the server writes it where it is read by itself; a cast to text writes some types in another way, such as
 * inet.
 */
const asWritten = (text: string): string => `case when ${text} is not null then concat(${text}) end`;

/** A part of a day, or of an instant in UTC. */
const datePart =
  (field: string): CallPrinter =>
  ({ argument, operand, of }) => {
    const from = of(0).kind === "timestamp" ? `${operand(0)} at time zone 'UTC'` : argument(0);
    return `cast(${field === "second" ? "trunc(" : ""}extract(${field} from ${from})${field === "second" ? ")" : ""} as integer)`;
  };

/** How many days or months: an integer, where many rows are counted or numbered by a larger one. */
const smallCount = ({ node, operand, argument }: PrintedCall): string => {
  const count = node.operands[1];
  const isSmall =
    count?.kind === "parameter" || count?.kind === "literal" || (count?.kind === "column" && count.isDerived !== true);
  return isSmall && node.of[1]?.type.kind !== "bigint" ? operand(1) : `cast(${argument(1)} as integer)`;
};

/** A number as a decimal of a scale: a whole one by its type, another rounded, whatever the number of its digits. */
function decimalOf(text: string, from: ValueType, { precision, scale = 0 }: ValueType): string {
  if (from.kind === "numeric") return `round(${text}, ${scale})`;
  if (!kinds[from.kind].isNumber || from.kind === "double") return `round(cast(${text} as numeric), ${scale})`;
  return `cast(${text} as numeric${scale === 0 ? "" : `(${precision}, ${scale})`})`;
}

/** Letters are mapped by a collation that knows all of Unicode. */
const inCase =
  (name: string, collation: string): CallPrinter =>
  ({ operand }) =>
    `${name}(${operand(0)} collate "${collation}") collate "C"`;

/**
 * A part of a document where it is of a type, by a path of SQL's own (ISO/IEC 19075-6): in its strict mode a position
 * is none in an object, nor a name in a list; what is not there is missing.
 */
function jsonPart(call: PrintedCall, type: string): string {
  const way = wayOf(call).map((step) => (typeof step === "number" ? `[${step}]` : `.${JSON.stringify(step)}`));
  const path = () => `${call.text(`strict $${way.join("")} ? (@.type() == "${type}")`)}::jsonpath`;
  return `jsonb_path_query_first(${call.argument(0)}, ${path()}, '{}', true) #>> '{}'`;
}

/** `collation`: one that knows the letters of all of Unicode. */
const callsBy = (collation: string): Calls => ({
  dividedBy: dividing(postgresAggregates),
  lower: inCase("lower", collation),
  upper: inCase("upper", collation),
  contains: ({ argument }) => `strpos(${argument(0)}, ${argument(1)}) > 0`,
  startsWith: named("starts_with"),
  year: datePart("year"),
  month: datePart("month"),
  dayOfMonth: datePart("day"),
  weekday: datePart("isodow"),
  hour: datePart("hour"),
  minute: datePart("minute"),
  second: datePart("second"),
  secondsSince: ({ operand }) => `cast(trunc(extract(epoch from ${operand(0)} - ${operand(1)})) as bigint)`,
  plusSeconds: ({ operand }) => `${operand(0)} + ${operand(1)} * interval '1 second'`,
  now: () => "current_timestamp",
  today: () => "cast(current_timestamp at time zone 'UTC' as date)",
  startOfDay: ({ argument }) => `date_trunc('day', ${argument(0)}, 'UTC')`,
  startOfHour: ({ argument }) => `date_trunc('hour', ${argument(0)}, 'UTC')`,
  startOfWeek: ({ argument }) => `cast(date_trunc('week', ${argument(0)}) as date)`,
  startOfQuarter: ({ argument }) => `cast(date_trunc('quarter', ${argument(0)}) as date)`,
  quarter: datePart("quarter"),
  plusDays: (call) => `${call.operand(0)} + ${smallCount(call)}`,
  plusMonths: (call) => `cast(${call.operand(0)} + ${smallCount(call)} * interval '1 month' as date)`,
  monthsSince: ({ all }) =>
    `cast(extract(year from age(${all()})) * 12 + extract(month from age(${all()})) as integer)`,
  parsedInteger: ({ operand, argument }) =>
    `case when ${operand(0)} ~ '${wholePattern}' then case when cast(${argument(0)} as bigint) between -2147483648 and 2147483647 then cast(${argument(0)} as integer) end end`,
  parsedNumeric: ({ operand, argument, type }) =>
    `case when ${operand(0)} ~ '${decimalPattern(type)}' then round(cast(${argument(0)} as numeric), ${type.scale}) end`,
  parsedDay: ({ operand, argument }) =>
    `case when ${operand(0)} ~ '${dayPattern}' then cast(${argument(0)} as date) end`,
  startOfMonth: ({ argument }) => `cast(date_trunc('month', ${argument(0)}) as date)`,
  startOfYear: ({ argument }) => `cast(date_trunc('year', ${argument(0)}) as date)`,
  toDay: ({ operand, argument, of }) =>
    `cast(${of(0).kind === "timestamp" ? `${operand(0)} at time zone 'UTC'` : argument(0)} as date)`,
  jsonText: (call) => jsonPart(call, "string"),
  jsonNumber: (call) => `cast(${jsonPart(call, "number")} as double precision)`,
  jsonTruth: (call) => `cast(${jsonPart(call, "boolean")} as boolean)`,
  least: unlessMissing("least"),
  greatest: unlessMissing("greatest"),
  cast: ({ argument, type, of }) => {
    if (type.kind === "text" && storedIn(of(0), "postgres") !== undefined) return asWritten(argument(0));
    if (type.kind === "numeric") return decimalOf(argument(0), of(0), type);
    return `cast(${argument(0)} as ${castType(type)})`;
  },
});

/** How PostgreSQL, 13 or later, is written, its letters mapped by a collation. Lists are one array parameter. */
export const postgresText = (collation: string): TextRules => ({
  quote: identifiersOf('"', reserved),
  placeholder: (position) => `$${position}`,
  isNumbered: true,
  literal: (value, { kind }) => {
    const wire = toWire(value);
    return typeof wire === "string" && !kinds[kind].isExact ? quotedText(wire) : String(wire);
  },
  typed: (placeholder, type) => `${placeholder}::${castType(type)}`,
  calls: callsBy(collation),
  likeOperator: "like",
  pattern: (like) => like,
  aggregate: (of) => printAggregate(of, postgresAggregates),
  distinct: (left, right) => `${left} is distinct from ${right}`,
  inList: (operand, placeholder, type, negated) =>
    `${operand} ${negated ? "<> all" : "= any"} (${placeholder}::${castType(type)}[])`,
  inKeys: (operands, types, add) => {
    const arrays = types.map((type, i) => `${add(operands.length === 1 ? "all" : i)}::${castType(type)}[]`);
    if (operands.length === 1) return `${operands[0]} = any (${arrays[0]})`;
    return `(${operands.join(", ")}) in (select * from unnest(${arrays.join(", ")}))`;
  },
  keysTable: (types, add, alias, hasPosition) => {
    const arrays = types.map((type, i) => `${add(types.length === 1 ? "all" : i)}::${castType(type)}[]`).join(", ");
    const names = types.map((_, i) => `key_${i + 1}`);
    return hasPosition
      ? `unnest(${arrays}) with ordinality as ${alias} (${[...names, "position"].join(", ")})`
      : `unnest(${arrays}) as ${alias} (${names.join(", ")})`;
  },
  series: (from, to, alias) => `generate_series(${from()}, ${to()}) as ${alias} (value)`,
  nulls: (descending, said) => ` nulls ${said ?? (descending ? "last" : "first")}`,
  lock: ({ strength, taken }, table) =>
    ` for ${strength} of ${table}${taken === undefined ? "" : ` ${taken.replace("no wait", "nowait")}`}`,
  sortable: (expression) => expression,
  read: (expression) => expression,
  // Measured (15): a plan for an unknown number of rows expects a tenth of all; the newest 20 of one key took 14 times
  // as long.
  everyRow: "all",
  isLimitSaid: true,
  limit: (limit, offset) =>
    `${limit === undefined ? "" : ` limit ${limit}`}${offset === undefined ? "" : ` offset ${offset}`}`,
  nest: (items, order) => `json_agg(json_build_array(${items.join(", ")})${order})`,
  // The texts that go over the wire; what is a text or nested already is one.
  inJson: (expression, type) => {
    if (type === undefined) return expression;
    if (comparedKind(type.kind) === "text" && storedIn(type, "postgres") !== undefined) return asWritten(expression);
    if (nestedAsIs.has(type.kind)) return expression;
    return `${isClosed(expression) ? expression : `(${expression})`}::text`;
  },
});
