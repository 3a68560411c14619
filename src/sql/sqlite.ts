import type { ColumnKind, Scalar, ValueType } from "../model/index.js";
import { choiceCheck, type Decoder, type Dialect, quotedText, quoteWith, type Wire } from "./dialect.js";
import {
  decodeBigint,
  decodeBytes,
  decodeDouble,
  decodeTime,
  decodeUtc,
  decodeWhole,
  jsonList,
  listDecoder,
  listToJson,
  toHex,
} from "./wire.js";

const columnTypes: Readonly<Partial<Record<ColumnKind, string>>> = {
  identity: "integer",
  integer: "integer",
  bigint: "integer",
  double: "real",
  boolean: "integer",
  bytes: "blob",
};

const decoders: Readonly<Partial<Record<ColumnKind, Decoder>>> = {
  identity: decodeWhole,
  integer: decodeWhole,
  bigint: decodeBigint,
  double: decodeDouble,
  numeric: (wire) => String(wire),
  boolean: (wire) => wire !== 0,
  time: decodeTime,
  timestamp: decodeUtc,
  bytes: decodeBytes,
};

function encode(value: Scalar): Wire {
  if (typeof value === "boolean") return Number(value);
  return Array.isArray(value) ? listToJson(value) : (value as Wire);
}

function literal(value: Scalar): string {
  const wire = encode(value);
  if (wire instanceof Uint8Array) return `x'${toHex(wire)}'`;
  return typeof wire === "string" ? quotedText(wire) : String(wire);
}

/** Keys come as text where the wire would lose digits; numbers are compared with numbers. */
const keyPart = (wire: Wire, type: ValueType | undefined): Wire =>
  type?.kind === "bigint" ? BigInt(wire as string) : wire;

/** The SQL of SQLite, 3.38 or later. Lists of values travel as one JSON parameter. */
export const sqliteDialect: Dialect = {
  name: "sqlite",
  engine: "SQLite",
  quote: quoteWith('"'),
  placeholder: () => "?",
  literal,
  distinct: (left, right) => `${left} is not ${right}`,
  inList: (operand, placeholder, _type, negated) =>
    `${operand} ${negated ? "not in" : "in"} (select "value" from json_each(${placeholder}))`,
  inKeys: (operands, _types, add) => {
    if (operands.length === 1) return `${operands[0]} in (select "value" from json_each(${add("all")}))`;
    const parts = operands.map((_, i) => `json_extract("value", '$[${i}]')`).join(", ");
    return `(${operands.join(", ")}) in (select ${parts} from json_each(${add("all")}))`;
  },
  nulls: () => "",
  // SQLite has no exact decimals: they are stored as text, and the driver adds a function that puts them in order.
  sortable: (expression, { kind }) => (kind === "numeric" ? `gemach_decimal(${expression})` : expression),
  // A driver would give a number, which does not hold 64 bits.
  read: (expression, { kind }) => (kind === "bigint" ? `cast(${expression} as text)` : expression),
  limit: (limit, offset) =>
    limit === undefined && offset === undefined
      ? ""
      : ` limit ${limit ?? "-1"}${offset === undefined ? "" : ` offset ${offset}`}`,
  encode: (parameter) => (parameter.kind === "list" ? jsonList(parameter.values.map(encode)) : encode(parameter.value)),
  encodeKeys: ({ types }, keys) =>
    jsonList(
      keys.map((key) =>
        key.length === 1 ? keyPart(key[0] as Wire, types[0]) : key.map((part, i) => keyPart(part, types[i])),
      ),
    ),
  decoder: (type) => (type.kind === "list" ? listDecoder(type) : decoders[type.kind]),
  insertArrays: undefined,
  rowsPerInsert: [1],
  identity: "integer primary key",
  columnType: ({ kind }) => columnTypes[kind] ?? "text",
  collate: (collation) => (collation === undefined ? "" : ` collate ${collation}`),
  hasPartialIndexes: true,
  columnCheck: ({ type }, name) => {
    if (type.choices !== undefined) return choiceCheck(name, type.choices, quotedText);
    if (type.kind === "varchar") return `length(${name}) <= ${type.length}`;
    return type.kind === "json" ? `json_valid(${name})` : undefined;
  },
  tablesQuery: "select nullif(schema, 'main'), name from pragma_table_list",
  createsSchemas: false,
  keepsToSchema: true,
  addsForeignKeys: false,
  tableSettings: "",
};
