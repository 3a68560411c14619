import { type ColumnKind, comparedKind, kinds, type Scalar, type ValueType } from "../../../columns/index.js";
import { GemachError } from "../../../errors/index.js";
import {
  type CallPrinter,
  type Calls,
  dayPattern,
  decimalPattern,
  dividing,
  named,
  type PrintedCall,
  wayOf,
  wholePattern,
} from "../../print/calls.js";
import { identifiersOf } from "../../print/identifiers.js";
import { printAggregate } from "../../print/parts.js";
import type { TextRules } from "../dialect.js";
import { toHex } from "../wire.js";
import { mariadbAggregates } from "./aggregates.js";
import { inJson } from "./in-json.js";
import { columnType } from "./types.js";
import { wireOf } from "./wire.js";

/** Words besides the standard's that do not stand as names (10.11: each word of its own list was tried). */
const reserved = `
  accessible add analyze asc before cascade change continue databases day_hour day_microsecond day_minute
  day_second delayed delete_domain_id desc distinctrow div do_domain_ids dual elseif enclosed escaped exit explain
  float4 float8 force fulltext high_priority hour_microsecond hour_minute hour_second if ignore ignore_domain_ids
  index infile int1 int2 int3 int4 int8 iterate key keys kill leave linear lines load lock long longblob longtext
  loop low_priority master_demote_to_replica master_demote_to_slave master_ssl_verify_server_cert maxvalue
  mediumblob mediumint mediumtext middleint minute_microsecond minute_second no_write_to_binlog optimize
  optionally outfile page_checksum parse_vcol_expr purge read read_write ref_system_id regexp rename repeat
  replace require resignal restrict returning rlike schemas second_microsecond separator signal spatial
  sql_big_result sql_buffer_result sql_cache sql_calc_found_rows sql_no_cache sql_small_result ssl starting
  stats_auto_recalc stats_persistent stats_sample_pages straight_join terminated tinyblob tinyint tinytext undo
  unlock unsigned usage use utc_date utc_time utc_timestamp varcharacter while write xor year_month zerofill
`;

/**
 * The type in which a value of a JSON list is read: wide enough for whole numbers without a sign, and all parts of a
 * second.
 */
const listedType = ({ stored: _, ...type }: ValueType): string =>
  type.kind === "bigint" ? "decimal(20)" : columnType({ ...type, isText: true }, false);

/** A condition that rows of a JSON parameter have the operands' values. */
function among(
  operands: readonly string[],
  types: readonly ValueType[],
  placeholder: string,
  negated: boolean,
): string {
  const single = operands.length === 1;
  const names = types.map((_, i) => `part_${i + 1}`);
  const columns = types
    .map((type, i) => `${names[i]} ${listedType(type)} path '$${single ? "" : `[${i}]`}'`)
    .join(", ");
  const left = single ? operands[0] : `(${operands.join(", ")})`;
  const list = `json_table(${placeholder}, '$[*]' columns (${columns})) as listed`;
  const rows = `select ${names.join(", ")} from ${list}`;
  // Read out of the JSON once, and not for each row of the query: an eighth of the time.
  return negated
    ? `${left} not in (select ${names.join(", ")} from (select distinct ${names.join(", ")} from ${list}) as listed_once)`
    : `${left} in (${rows})`;
}

/**
 * A text. The server writes quotes and backslashes of checks and defaults down with backslashes, and reads them again
 * by the sql_mode of whoever opens the table (10.11), in which they may escape nothing: such characters are called by
 * their numbers.
 */
export function quotedText(text: string): string {
  if (!/['\\]/.test(text)) return `'${text}'`;
  const parts = text.match(/[^'\\]+|['\\]/g) as readonly string[];
  const called = parts.map((part) => (/['\\]/.test(part) ? `char(${part.charCodeAt(0)} using utf8mb4)` : `'${part}'`));
  return `(concat(${called.join(", ")}))`;
}

/** A value as a statement's text has it. */
export function literal(value: Scalar, type: ValueType): string {
  const wire = wireOf(value, type);
  if (wire instanceof Uint8Array) return `x'${toHex(wire)}'`;
  return typeof wire === "string" && !kinds[type.kind].isExact ? quotedText(wire) : String(wire);
}

/** Types that a cast may name; numbers travel as doubles or texts, so that arithmetic would be of doubles. */
const castTypes: Readonly<Partial<Record<ColumnKind, (type: ValueType) => string>>> = {
  identity: () => "signed",
  integer: () => "signed",
  bigint: () => "signed",
  double: () => "double",
  numeric: ({ precision, scale }) => `decimal(${precision}, ${scale})`,
  text: () => "char",
  varchar: ({ length }) => `char(${length})`,
  choice: () => "char",
  date: () => "date",
};

/**
 * Letters are mapped by a collation that knows all of Unicode, whatever the column's character set; comparisons stay by
 * code point.
 */
const inCase =
  (name: string): CallPrinter =>
  ({ operand }) =>
    `${name}(convert(${operand(0)} using utf8mb4) collate utf8mb4_uca1400_as_cs) collate utf8mb4_nopad_bin`;

/** A part of a document where it is of a type; the way to it is a JSON path. */
function jsonPart(call: PrintedCall, types: string, read: (part: string) => string): string {
  const way = wayOf(call);
  // Even between quotes (10.11): a hyphen at the beginning is taken for a sign.
  if (way.some((step) => typeof step === "string" && step.startsWith("-")))
    throw new GemachError("ENGINE_UNABLE", {
      engine: "MariaDB",
      what: "find a property of a document whose name begins with a hyphen",
      instead: "Fetch the document, and look into it in code.",
    });
  const pathOf = (steps: readonly (string | number)[]) =>
    `$${steps.map((step) => (typeof step === "number" ? `[${step}]` : `.${JSON.stringify(step)}`)).join("")}`;
  const part = (steps = way) => `json_extract(${call.argument(0)}, ${call.text(pathOf(steps))})`;
  // Anything else has itself at position 0.
  const lists = way.flatMap((step, i) =>
    typeof step === "number" ? [`json_type(${part(way.slice(0, i))}) = 'ARRAY'`] : [],
  );
  return `case when ${[...lists, `json_type(${part()}) in (${types})`].join(" and ")} then ${read(part())} end`;
}

/**
 * What a text says where it is of a form; of others the server would make something else, or an error within a write.
 */
const cast = (text: string, pattern: string, type: string): string =>
  `cast(nullif(regexp_substr(${text}, '${pattern}'), '') as ${type})`;

const calls: Calls = {
  dividedBy: dividing(mariadbAggregates, "div"),
  lower: inCase("lower"),
  upper: inCase("upper"),
  length: named("char_length"),
  concat: named("concat"),
  startsWith: ({ argument, operand }) => `left(${argument(0)}, char_length(${argument(1)})) = ${operand(1)}`,
  endsWith: ({ argument, operand }) => `right(${argument(0)}, char_length(${argument(1)})) = ${operand(1)}`,
  year: named("year"),
  month: named("month"),
  dayOfMonth: named("day"),
  hour: named("hour"),
  minute: named("minute"),
  second: named("second"),
  weekday: ({ argument }) => `weekday(${argument(0)}) + 1`,
  secondsSince: ({ argument }) => `timestampdiff(second, ${argument(1)}, ${argument(0)})`,
  plusSeconds: ({ operand }) => `${operand(0)} + interval ${operand(1)} second`,
  now: () => "utc_timestamp(6)",
  today: () => "utc_date()",
  startOfDay: ({ argument }) => `cast(date(${argument(0)}) as datetime(6))`,
  startOfHour: ({ argument }) => `cast(date_format(${argument(0)}, '%Y-%m-%d %H:00:00') as datetime(6))`,
  plusDays: ({ operand }) => `${operand(0)} + interval ${operand(1)} day`,
  daysSince: named("datediff"),
  startOfWeek: ({ operand, argument }) => `${operand(0)} - interval weekday(${argument(0)}) day`,
  startOfQuarter: ({ argument }) =>
    `makedate(year(${argument(0)}), 1) + interval quarter(${argument(0)}) * 3 - 3 month`,
  quarter: named("quarter"),
  plusMonths: ({ operand }) => `${operand(0)} + interval ${operand(1)} month`,
  monthsSince: ({ argument }) => `timestampdiff(month, ${argument(1)}, ${argument(0)})`,
  parsedInteger: ({ argument }) => {
    const whole = () => cast(argument(0), wholePattern, "signed");
    return `case when ${whole()} between -2147483648 and 2147483647 then ${whole()} end`;
  },
  parsedNumeric: ({ argument, type }) =>
    cast(argument(0), decimalPattern(type), `decimal(${type.precision}, ${type.scale})`),
  parsedDay: ({ argument }) => cast(argument(0), dayPattern, "date"),
  startOfMonth: ({ operand, argument }) => `${operand(0)} - interval dayofmonth(${argument(0)}) - 1 day`,
  startOfYear: ({ operand, argument }) => `${operand(0)} - interval dayofyear(${argument(0)}) - 1 day`,
  toDay: named("date"),
  jsonText: (call) => jsonPart(call, "'STRING'", (part) => `json_unquote(${part}) collate utf8mb4_nopad_bin`),
  jsonNumber: (call) => jsonPart(call, "'INTEGER', 'DOUBLE'", (part) => `cast(${part} as double)`),
  jsonTruth: (call) =>
    jsonPart(call, "'BOOLEAN'", (part) => `json_unquote(${part}) collate utf8mb4_nopad_bin = 'true'`),
  cast: ({ argument, type }) => `cast(${argument(0)} as ${castTypes[type.kind]?.(type)})`,
};

/** How MariaDB, 10.6 or later, is written. Lists of values travel as one JSON parameter. */
export const mariadbText: TextRules = {
  quote: identifiersOf("`", reserved),
  placeholder: () => "?",
  isNumbered: false,
  literal,
  typed: (placeholder, type) => {
    // Texts travel as texts.
    const castTo = comparedKind(type.kind) === "text" ? undefined : castTypes[type.kind]?.(type);
    return castTo === undefined ? placeholder : `cast(${placeholder} as ${castTo})`;
  },
  calls,
  likeOperator: "like",
  pattern: (like) => like,
  aggregate: (of) => printAggregate(of, mariadbAggregates),
  distinct: (left, right) => `not (${left} <=> ${right})`,
  inList: (operand, placeholder, type, negated) => among([operand], [type], placeholder, negated),
  // A text out of a JSON table has a collation of its own, which is refused beside a column of another. Few values of
  // any kind stand by themselves: a table of them keeps the server from its index (10.11). Texts are looked up among
  // placeholders by the column's own collation; a table of them is read through for each row, since its collation is
  // another (17,000 rows and 32,768 texts: 0.1 s in place of 90).
  mostListed: ({ kind }) => (kinds[kind].hasCollation ? 32_768 : 8),
  inKeys: (operands, types, add) => among(operands, types, add("all"), false),
  keysTable: (types, add, alias, hasPosition) => {
    const path = (i: number) => (types.length === 1 ? "$" : `$[${i}]`);
    const columns = types.map((type, i) => `key_${i + 1} ${listedType(type)} path '${path(i)}'`).join(", ");
    const position = hasPosition ? ", position for ordinality" : "";
    return `json_table(${add("all")}, '$[*]' columns (${columns}${position})) as ${alias}`;
  },
  // A text out of a JSON table has a collation of its own, and the server refuses to compare it with a column of
  // another; a placeholder's has none, and the column's holds.
  keysListed: {
    isNeeded: (types) => types.some(({ kind }) => kinds[kind].hasCollation || kind === "uuid"),
    // Null among texts would keep the server from comparing them with a column of a smaller character set.
    absent: ({ kind }) => (kinds[kind].hasCollation || kind === "uuid" ? "no such key 7f3a9c" : null),
    table: (rows, alias) => {
      const [first, ...others] = rows.map((row, i) => [...row, i + 1]);
      const names = first?.map(
        (value, i, { length }) => `${value} as ${i === length - 1 ? "position" : `key_${i + 1}`}`,
      );
      const selects = [names, ...others].map((values) => `select ${values?.join(", ")}`);
      return `(${selects.join(" union all ")}) as ${alias}`;
    },
  },
  // A recursive query would end after a thousand rows (max_recursive_iterations).
  series: (from, to, alias) =>
    `(select ${from()} + place - 1 as value from json_table(concat('[', repeat('0,', ${to()} - ${from()}), '0]'), '$[*]' columns (place for ordinality)) as counted where ${from()} <= ${to()}) as ${alias}`,
  nulls: () => "",
  lock: ({ strength, taken }) =>
    `${strength === "update" ? " for update" : " lock in share mode"}${taken === undefined ? "" : ` ${taken.replace("no wait", "nowait")}`}`,
  sortable: (expression) => expression,
  // A driver would parse what the server says is JSON, each number as a floating-point one.
  read: (expression, { kind }) => (kind === "json" || kind === "list" ? `concat(${expression})` : expression),
  // The documentation's own way to say "all the rest" (LIMIT): the largest number there is.
  everyRow: "18446744073709551615",
  isLimitSaid: false,
  limit: (limit, offset) =>
    limit === undefined && offset === undefined
      ? ""
      : ` limit ${limit ?? "18446744073709551615"}${offset === undefined ? "" : ` offset ${offset}`}`,
  nest: (items, order, limits) => `json_arrayagg(json_array(${items.join(", ")})${order}${limits})`,
  inJson,
};
