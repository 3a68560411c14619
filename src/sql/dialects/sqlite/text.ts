import type { Scalar } from "../../../columns/index.js";
import { type CallPrinter, type Calls, dividing, named, standardCalls, structural } from "../../print/calls.js";
import { identifiersOf } from "../../print/identifiers.js";
import { quotedText } from "../../print/parts.js";
import type { TextRules } from "../dialect.js";
import { toHex } from "../wire.js";
import { sqliteAggregate, sqliteAggregates } from "./aggregates.js";
import { inJson, read } from "./in-json.js";
import { columnTypes } from "./types.js";
import { wireOf } from "./wire.js";

/** Words besides the standard's that do not stand as names (3.53: each word of three engines' lists was tried). */
const reserved = `
  add autoincrement deferrable glob if index isnull nothing notnull raise regexp returning transaction
`;

/** A value as a statement's text has it. */
export function literal(value: Scalar): string {
  const wire = wireOf(value);
  if (wire instanceof Uint8Array) return `x'${toHex(wire)}'`;
  return typeof wire === "string" ? quotedText(wire) : String(wire);
}

/** A pattern of `like` as one of `glob`, which tells capitals from small letters. */
const globOf = (like: string): string =>
  like.replace(/\\(.)|[%_*?[]/gsu, (found, escaped?: string) => {
    if (escaped !== undefined) return "*?[".includes(escaped) ? `[${escaped}]` : escaped;
    return { "%": "*", _: "?" }[found] ?? `[${found}]`;
  });

/** A call of exact decimals, which the driver adds to the engine; of other numbers the engine's own. */
const ofDecimals =
  (name: string, other: CallPrinter | undefined): CallPrinter =>
  (call) =>
    call.type.kind === "numeric" || other === undefined ? `gemach_${name}(${call.all()})` : other(call);

/** A part of a day, an instant or a time of day, by its place in the text. */
const textPart =
  (at: number, length: number): CallPrinter =>
  ({ argument, of }) =>
    `cast(substr(${argument(0)}, ${of(0).kind === "time" ? at - 11 : at}, ${length}) as integer)`;

/** A whole number that a function of the driver gives: the engine has it for a floating-point one. */
const wholeBy =
  (name: string): CallPrinter =>
  ({ all }) =>
    `cast(${name}(${all()}) as integer)`;

const { plus, minus, times, absolute, rounded } = standardCalls;

const calls: Calls = {
  dividedBy: dividing(sqliteAggregates),
  plus: ofDecimals("plus", plus),
  minus: ofDecimals("minus", minus),
  times: ofDecimals("times", times),
  negated: (call) => (call.type.kind === "numeric" ? `gemach_minus('0', ${call.argument(0)})` : `- ${call.operand(0)}`),
  absolute: ofDecimals("absolute", absolute),
  rounded: (call) =>
    call.type.kind === "numeric" ? `gemach_round(${call.argument(0)}, ${structural(call, 1)})` : rounded(call),
  lower: named("gemach_lower"),
  upper: named("gemach_upper"),
  startsWith: ({ argument, operand }) => `substr(${argument(0)}, 1, length(${argument(1)})) = ${operand(1)}`,
  endsWith: ({ argument, operand }) =>
    `substr(${argument(0)}, length(${argument(0)}) - length(${argument(1)}) + 1) = ${operand(1)}`,
  year: textPart(1, 4),
  month: textPart(6, 2),
  dayOfMonth: textPart(9, 2),
  weekday: ({ argument }) => `(strftime('%w', substr(${argument(0)}, 1, 10)) + 6) % 7 + 1`,
  hour: textPart(12, 2),
  minute: textPart(15, 2),
  second: textPart(18, 2),
  plusDays: ({ argument, operand }) => `date(${argument(0)}, ${operand(1)} || ' days')`,
  daysSince: ({ argument }) => `cast(julianday(${argument(0)}) - julianday(${argument(1)}) as integer)`,
  plusSeconds: named("gemach_later"),
  secondsSince: wholeBy("gemach_since"),
  now: () => "strftime('%Y-%m-%dT%H:%M:%f000Z', 'now')",
  today: () => "date('now')",
  startOfDay: ({ argument }) => `substr(${argument(0)}, 1, 10) || 'T00:00:00.000000Z'`,
  startOfHour: ({ argument }) => `substr(${argument(0)}, 1, 13) || ':00:00.000000Z'`,
  startOfWeek: ({ argument }) => `date(${argument(0)}, 'weekday 0', '-6 days')`,
  startOfQuarter: ({ argument }) =>
    `date(${argument(0)}, 'start of month', '-' || ((substr(${argument(0)}, 6, 2) - 1) % 3) || ' months')`,
  quarter: ({ argument }) => `(cast(substr(${argument(0)}, 6, 2) as integer) + 2) / 3`,
  plusMonths: named("gemach_months_later"),
  monthsSince: wholeBy("gemach_months_since"),
  parsedInteger: wholeBy("gemach_whole"),
  parsedNumeric: ({ argument, type: { precision = 1, scale = 0 } }) =>
    `gemach_parsed(${argument(0)}, ${precision - scale}, ${scale})`,
  parsedDay: named("gemach_day"),
  startOfMonth: ({ argument }) => `date(${argument(0)}, 'start of month')`,
  startOfYear: ({ argument }) => `date(${argument(0)}, 'start of year')`,
  toDay: ({ argument }) => `substr(${argument(0)}, 1, 10)`,
  jsonText: ({ all }) => `gemach_json(${all()}, 'string')`,
  jsonNumber: ({ all }) => `gemach_json(${all()}, 'number')`,
  jsonTruth: ({ all }) => `gemach_json(${all()}, 'boolean')`,
  least: ofDecimals("least", named("min")),
  greatest: ofDecimals("greatest", named("max")),
  cast: (call) => {
    const { type, argument, of } = call;
    if (type.kind === "numeric") return `gemach_round(${argument(0)}, ${type.scale})`;
    if (of(0).kind === "numeric") return type.kind === "double" ? `gemach_double(${argument(0)})` : argument(0);
    return `cast(${argument(0)} as ${columnTypes[type.kind]})`;
  },
};

/** How SQLite, 3.44 or later, is written. Lists of values travel as one JSON parameter. */
export const sqliteText: TextRules = {
  quote: identifiersOf('"', reserved),
  placeholder: () => "?",
  isNumbered: false,
  literal,
  typed: (placeholder) => placeholder,
  calls,
  likeOperator: "glob",
  pattern: globOf,
  aggregate: sqliteAggregate,
  distinct: (left, right) => `${left} is not ${right}`,
  // A plus sign takes a column's affinity from a value, so that it is compared as the column's own are (SQLite,
  // Datatypes, 4.2).
  inList: (operand, placeholder, _type, negated) =>
    `${operand} ${negated ? "not in" : "in"} (select +value from json_each(${placeholder}))`,
  // Few values stand by themselves: reading them out of one parameter costs as much as the rest of a short statement.
  mostListed: () => 8,
  inKeys: (operands, _types, add) => {
    if (operands.length === 1) return `${operands[0]} in (select +value from json_each(${add("all")}))`;
    const parts = operands.map((_, i) => `json_extract(value, '$[${i}]')`).join(", ");
    return `(${operands.join(", ")}) in (select ${parts} from json_each(${add("all")}))`;
  },
  keysTable: (types, add, alias, hasPosition) => {
    const part = (i: number) => (types.length === 1 ? "+value" : `json_extract(value, '$[${i}]')`);
    const columns = types.map((_, i) => `${part(i)} as key_${i + 1}`).join(", ");
    const position = hasPosition ? ", key as position" : "";
    return `(select ${columns}${position} from json_each(${add("all")})) as ${alias}`;
  },
  series: (from, to, alias) =>
    `(with recursive counted (value) as (select ${from()} where ${from()} <= ${to()} union all select value + 1 from counted where value < ${to()}) select value from counted) as ${alias}`,
  nulls: (_, said) => (said === undefined ? "" : ` nulls ${said}`),
  // A transaction that may write has the file to itself from its beginning: all rows are locked, and none by others.
  lock: () => "",
  sortable: (expression, { kind }) => (kind === "numeric" ? `gemach_decimal(${expression})` : expression),
  read,
  // A limit that is a bare parameter makes SQLite plan the statement anew whenever its value is bound: 7.6 µs in place
  // of 1.5 µs for a row by its key (3.53). Behind a plus sign, which changes nothing else, it does not.
  everyRow: "-1",
  isLimitSaid: false,
  limit: (limit, offset) =>
    limit === undefined && offset === undefined
      ? ""
      : ` limit ${limit === "?" ? "+?" : (limit ?? "-1")}${offset === undefined ? "" : ` offset +${offset}`}`,
  nest: (items, order) => `json_group_array(json_array(${items.join(", ")})${order})`,
  inJson,
};
