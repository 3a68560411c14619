import type { ColumnKind } from "../model/index.js";
import { type Dialect, decodeWhole, quoteDouble } from "./dialect.js";

const columnTypes: Record<ColumnKind, string> = {
  identity: "integer",
  integer: "integer",
  text: "text",
  boolean: "integer",
  date: "text",
};

/** The SQL of SQLite, 3.35 or later. Lists of values travel as one JSON parameter. */
export const sqliteDialect: Dialect = {
  name: "sqlite",
  engine: "SQLite",
  quote: quoteDouble,
  placeholder: () => "?",
  distinct: (left, right) => `${left} is not ${right}`,
  inList: (operand, placeholder, _type, negated) =>
    `${operand} ${negated ? "not in" : "in"} (select "value" from json_each(${placeholder}))`,
  inKeys: (operands, _types, add) => {
    if (operands.length === 1) return `${operands[0]} in (select "value" from json_each(${add("all")}))`;
    const parts = operands.map((_, i) => `json_extract("value", '$[${i}]')`).join(", ");
    return `(${operands.join(", ")}) in (select ${parts} from json_each(${add("all")}))`;
  },
  nulls: () => "",
  limit: (limit, offset) =>
    limit === undefined && offset === undefined
      ? ""
      : ` limit ${limit ?? "-1"}${offset === undefined ? "" : ` offset ${offset}`}`,
  encode: (parameter) => {
    if (parameter.kind === "list")
      return JSON.stringify(parameter.values.map((value) => (typeof value === "boolean" ? Number(value) : value)));
    return typeof parameter.value === "boolean" ? Number(parameter.value) : parameter.value;
  },
  encodeKeys: (_parameter, keys) => JSON.stringify(keys.map((key) => (key.length === 1 ? key[0] : key))),
  insertArrays: undefined,
  decoders: {
    identity: decodeWhole,
    integer: decodeWhole,
    text: undefined,
    boolean: (wire) => wire !== 0,
    date: undefined,
  },
  identity: "integer primary key",
  rowsPerInsert: [1],
  columnType: (kind) => columnTypes[kind],
  tableSettings: "",
};
