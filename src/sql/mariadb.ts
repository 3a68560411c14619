import { type ColumnKind, comparedKind, type Scalar, type ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type CallPrinter, named, type PrintedCall, wayOf } from "./calls.js";
import {
  choiceCheck,
  type Decoder,
  type Dialect,
  isExact,
  quoteWith,
  standardAggregate,
  type Wire,
} from "./dialect.js";
import {
  decodeBigint,
  decodeBytes,
  decodeTime,
  decodeUtc,
  decodeWhole,
  fromHex,
  jsonList,
  listDecoder,
  listToJson,
  toHex,
} from "./wire.js";

/** Types in which values are stored, and in which a JSON list's values are read. */
const baseTypes: Readonly<Record<ColumnKind, string>> = {
  identity: "int",
  integer: "int",
  bigint: "bigint",
  double: "double",
  numeric: "decimal",
  text: "longtext",
  varchar: "varchar",
  choice: "varchar",
  boolean: "boolean",
  date: "date",
  time: "time(6)",
  timestamp: "datetime(6)",
  uuid: "char(36) character set ascii collate ascii_nopad_bin",
  json: "longtext",
  bytes: "longblob",
  list: "longtext",
};

function columnType(type: ValueType, isIndexed: boolean): string {
  const { kind, length, precision, scale, choices = [] } = type;
  if (kind === "numeric") return `decimal(${precision}, ${scale})`;
  if (kind === "varchar") return `varchar(${length})`;
  if (kind === "choice") return `varchar(${Math.max(...choices.map((text) => text.length))})`;
  // Text of any length cannot be in an index; 255 characters of four bytes are what all row formats allow.
  return kind === "text" && isIndexed ? "varchar(255)" : baseTypes[kind];
}

/** A condition that rows of a JSON parameter have the operands' values. */
function among(
  operands: readonly string[],
  types: readonly ValueType[],
  placeholder: string,
  negated: boolean,
): string {
  const single = operands.length === 1;
  const names = types.map((_, i) => `\`part_${i + 1}\``);
  const columns = types
    .map((type, i) => `${names[i]} ${columnType(type, false)} path '$${single ? "" : `[${i}]`}'`)
    .join(", ");
  const left = single ? operands[0] : `(${operands.join(", ")})`;
  const list = `json_table(${placeholder}, '$[*]' columns (${columns})) as \`listed\``;
  return `${left} ${negated ? "not in" : "in"} (select ${names.join(", ")} from ${list})`;
}

function encode(value: Scalar, type: ValueType): Wire {
  if (typeof value === "boolean") return Number(value);
  if (typeof value === "bigint") return value.toString();
  if (Array.isArray(value)) return listToJson(value);
  return type.kind === "timestamp" && value !== null
    ? (value as string).replace("T", " ").replace("Z", "")
    : (value as Wire);
}

/** Backslashes escape in texts, unless a session turns that off. */
const quotedText = (text: string): string => `'${text.replaceAll("'", "''").replaceAll("\\", "\\\\")}'`;

function literal(value: Scalar, type: ValueType): string {
  const wire = encode(value, type);
  if (wire instanceof Uint8Array) return `x'${toHex(wire)}'`;
  return typeof wire === "string" && !isExact(type.kind) ? quotedText(wire) : String(wire);
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

/** Letters are mapped by a collation that knows all of Unicode; comparisons stay by code point. */
const inCase =
  (name: string): CallPrinter =>
  ({ beside }) =>
    `${name}(${beside(0)} collate utf8mb4_uca1400_as_cs) collate utf8mb4_nopad_bin`;

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
  const part = (steps = way) => `json_extract(${call.inside(0)}, ${call.text(pathOf(steps))})`;
  // Anything else has itself at position 0.
  const lists = way.flatMap((step, i) =>
    typeof step === "number" ? [`json_type(${part(way.slice(0, i))}) = 'ARRAY'`] : [],
  );
  return `case when ${[...lists, `json_type(${part()}) in (${types})`].join(" and ")} then ${read(part())} end`;
}

const mariadbCalls: Dialect["calls"] = {
  dividedBy: ({ beside, inside, type }) =>
    `${beside(0)} ${type.kind === "double" ? "/" : "div"} nullif(${inside(1)}, 0)`,
  lower: inCase("lower"),
  upper: inCase("upper"),
  length: named("char_length"),
  concat: named("concat"),
  startsWith: ({ inside, beside }) => `left(${inside(0)}, char_length(${inside(1)})) = ${beside(1)}`,
  endsWith: ({ inside, beside }) => `right(${inside(0)}, char_length(${inside(1)})) = ${beside(1)}`,
  year: named("year"),
  month: named("month"),
  dayOfMonth: named("day"),
  hour: named("hour"),
  minute: named("minute"),
  second: named("second"),
  weekday: ({ inside }) => `weekday(${inside(0)}) + 1`,
  secondsSince: ({ inside }) => `timestampdiff(second, ${inside(1)}, ${inside(0)})`,
  plusSeconds: ({ beside }) => `${beside(0)} + interval ${beside(1)} second`,
  startOfDay: ({ inside }) => `cast(date(${inside(0)}) as datetime(6))`,
  startOfHour: ({ inside }) => `cast(date_format(${inside(0)}, '%Y-%m-%d %H:00:00') as datetime(6))`,
  plusDays: ({ beside }) => `${beside(0)} + interval ${beside(1)} day`,
  daysSince: named("datediff"),
  startOfMonth: ({ beside, inside }) => `${beside(0)} - interval dayofmonth(${inside(0)}) - 1 day`,
  startOfYear: ({ beside, inside }) => `${beside(0)} - interval dayofyear(${inside(0)}) - 1 day`,
  jsonText: (call) => jsonPart(call, "'STRING'", (part) => `json_unquote(${part}) collate utf8mb4_nopad_bin`),
  jsonNumber: (call) => jsonPart(call, "'INTEGER', 'DOUBLE'", (part) => `cast(${part} as double)`),
  jsonTruth: (call) =>
    jsonPart(call, "'BOOLEAN'", (part) => `json_unquote(${part}) collate utf8mb4_nopad_bin = 'true'`),
  cast: ({ inside, type }) => `cast(${inside(0)} as ${castTypes[type.kind]?.(type)})`,
};

/** As the driver gives whole numbers: as a text where a number does not hold all digits. */
const wholeOnWire = (part: Wire): Wire => (part === null || !Number.isSafeInteger(Number(part)) ? part : Number(part));

const nestedAsText: ReadonlySet<ColumnKind> = new Set(["bigint", "numeric", "json", "list"]);

const decoders: Readonly<Partial<Record<ColumnKind, Decoder>>> = {
  identity: decodeWhole,
  integer: decodeWhole,
  bigint: decodeBigint,
  boolean: (wire) => wire !== 0,
  time: decodeTime,
  timestamp: decodeUtc,
  bytes: decodeBytes,
};

/** The SQL of MariaDB, 10.6 or later. Lists of values travel as one JSON parameter. */
export const mariadbDialect: Dialect = {
  name: "mariadb",
  engine: "MariaDB",
  quote: quoteWith("`"),
  placeholder: () => "?",
  literal,
  typed: (placeholder, type) => {
    // Texts travel as texts.
    const castTo = comparedKind(type.kind) === "text" ? undefined : castTypes[type.kind]?.(type);
    return castTo === undefined ? placeholder : `cast(${placeholder} as ${castTo})`;
  },
  calls: mariadbCalls,
  likeOperator: "like",
  pattern: (like) => like,
  aggregate: (name, operand, types, over) => standardAggregate(name, operand, "double", types, over),
  filtersAggregates: false,
  isNumbered: false,
  distinct: (left, right) => `not (${left} <=> ${right})`,
  inList: (operand, placeholder, type, negated) => among([operand], [type], placeholder, negated),
  inKeys: (operands, types, add) => among(operands, types, add("all"), false),
  keysTable: (types, add, alias) => {
    const path = (i: number) => (types.length === 1 ? "$" : `$[${i}]`);
    const columns = types.map((type, i) => `\`key_${i + 1}\` ${columnType(type, false)} path '${path(i)}'`).join(", ");
    return `json_table(${add("all")}, '$[*]' columns (${columns})) as ${alias}`;
  },
  // Measured (10.11, which has no lateral): as fast with 10 rows an owner, 19 times with 200. Each row more is a
  // subquery more, and the rows' own key has to be one column.
  ownerForm: (index, keyLength, { limit }) =>
    index !== "owner" && keyLength === 1 && limit !== undefined && limit >= 1 && limit <= 10 ? "seeks" : undefined,
  nulls: () => "",
  saysNulls: false,
  lock: ({ strength, taken }) =>
    `${strength === "update" ? " for update" : " lock in share mode"}${taken === undefined ? "" : ` ${taken.replace("no wait", "nowait")}`}`,
  sortable: (expression) => expression,
  // A driver would parse what the server says is JSON, each number as a floating-point one.
  read: (expression, { kind }) => (kind === "json" || kind === "list" ? `concat(${expression})` : expression),
  limit: (limit, offset) =>
    limit === undefined && offset === undefined
      ? ""
      : ` limit ${limit ?? "18446744073709551615"}${offset === undefined ? "" : ` offset ${offset}`}`,
  encode: (parameter) =>
    parameter.kind === "list"
      ? jsonList(parameter.values.map((value) => encode(value, parameter.type)))
      : encode(parameter.value, parameter.type),
  encodeKeys: (_parameter, keys) => jsonList(keys.map((key) => (key.length === 1 ? (key[0] as Wire) : key))),
  nest: (items, order, cut) => `json_arrayagg(json_array(${items.join(", ")})${order}${cut})`,
  inJson: (expression, type) => {
    if (type === undefined) return expression;
    if (type.kind === "bytes") return `hex(${expression})`;
    // A number of JSON is read as a floating-point one; and text that the server takes for JSON would lose its form.
    return nestedAsText.has(type.kind) ? `concat(${expression})` : expression;
  },
  fromJson: ({ kind }) => {
    if (kind === "bytes") return (part) => fromHex(part as string, 0);
    return kind === "bigint" ? wholeOnWire : undefined;
  },
  packsRows: false,
  cutsNested: true,
  keyOnWire: (value, type) => (type.kind === "bigint" ? wholeOnWire(encode(value, type)) : encode(value, type)),
  decoder: (type) => (type.kind === "list" ? listDecoder(type) : decoders[type.kind]),
  emptyRow: "() values ()",
  insertArrays: undefined,
  advance: () => [],
  rowsPerInsert: [1024, 256, 64, 16, 4, 1],
  identity: "int auto_increment primary key",
  columnType,
  // The table's own collation goes by code point.
  collate: (collation) => (collation === undefined ? "" : ` collate ${collation}`),
  hasPartialIndexes: false,
  columnCheck: ({ type: { kind, choices } }, name) => {
    if (choices !== undefined) return choiceCheck(name, choices, quotedText);
    return kind === "json" || kind === "list" ? `json_valid(${name})` : undefined;
  },
  tablesQuery: "select nullif(table_schema, database()), table_name from information_schema.tables",
  returns: ["insert", "delete"],
  seesTableWhileWriting: false,
  onConflict: (by, set) => `on duplicate key update ${set === "" ? `${by[0]} = ${by[0]}` : set}`,
  proposed: (column) => `values(${column})`,
  // The server crashes (10.11) where such a column is also the second term of the window's order, and one of the query's.
  // A derived table that the server merges into the subquery around it has rows that are not in the list (10.11).
  mergesLists: false,
  sortsDerivedGroups: true,
  windowsDerived: false,
  hasDeepCorrelation: false,
  createsSchemas: true,
  keepsToSchema: false,
  addsForeignKeys: true,
  tableSettings: " engine = InnoDB default character set utf8mb4 collate utf8mb4_nopad_bin",
};
