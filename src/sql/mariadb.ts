import { GemachError } from "../errors/index.js";
import type { ColumnKind } from "../model/index.js";
import type { Scalar } from "../query/index.js";
import { type Dialect, decodeWhole } from "./dialect.js";

/** Types in which a JSON list's values are read. */
const listTypes: Record<ColumnKind, string> = {
  identity: "int",
  integer: "int",
  text: "longtext",
  boolean: "boolean",
  date: "date",
};

/** A condition that rows of a JSON parameter have the operands' values. */
function among(
  operands: readonly string[],
  types: readonly ColumnKind[],
  placeholder: string,
  negated: boolean,
): string {
  const single = operands.length === 1;
  const names = types.map((_, i) => `\`part_${i + 1}\``);
  const columns = types.map((type, i) => `${names[i]} ${listTypes[type]} path '$${single ? "" : `[${i}]`}'`).join(", ");
  const left = single ? operands[0] : `(${operands.join(", ")})`;
  const list = `json_table(${placeholder}, '$[*]' columns (${columns})) as \`listed\``;
  return `${left} ${negated ? "not in" : "in"} (select ${names.join(", ")} from ${list})`;
}

const toJson = (value: Scalar): Scalar => (typeof value === "boolean" ? Number(value) : value);

/** The SQL of MariaDB, 10.6 or later. Lists of values travel as one JSON parameter. */
export const mariadbDialect: Dialect = {
  name: "mariadb",
  engine: "MariaDB",
  quote: (name) => {
    if (name.includes("\0")) throw new GemachError("IDENTIFIER_UNFIT", {});
    return `\`${name.replaceAll("`", "``")}\``;
  },
  placeholder: () => "?",
  distinct: (left, right) => `not (${left} <=> ${right})`,
  inList: (operand, placeholder, type, negated) => among([operand], [type], placeholder, negated),
  inKeys: (operands, types, add) => among(operands, types, add("all"), false),
  nulls: () => "",
  // The documentation's own way to say "all the rest" (LIMIT): the largest number there is.
  limit: (limit, offset) =>
    limit === undefined && offset === undefined
      ? ""
      : ` limit ${limit ?? "18446744073709551615"}${offset === undefined ? "" : ` offset ${offset}`}`,
  encode: (parameter) =>
    parameter.kind === "list" ? JSON.stringify(parameter.values.map(toJson)) : toJson(parameter.value),
  encodeKeys: (_parameter, keys) => JSON.stringify(keys.map((key) => (key.length === 1 ? key[0] : key))),
  insertArrays: undefined,
  decoders: {
    identity: decodeWhole,
    integer: decodeWhole,
    text: undefined,
    boolean: (wire) => wire !== 0,
    date: undefined,
  },
  identity: "int auto_increment primary key",
  rowsPerInsert: [1024, 256, 64, 16, 4, 1],
  // Text of any length cannot be in an index; 255 characters of four bytes are what all row formats allow.
  columnType: (kind, isIndexed) => (kind === "text" && isIndexed ? "varchar(255)" : listTypes[kind]),
  tableSettings: " engine = InnoDB default character set utf8mb4 collate utf8mb4_nopad_bin",
};
