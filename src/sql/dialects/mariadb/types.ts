import type { ColumnKind, ValueType } from "../../../columns/index.js";
import { storedIn } from "../stored.js";

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
  timestamp: "datetime(3)",
  localTimestamp: "datetime(6)",
  uuid: "char(36) character set ascii collate ascii_nopad_bin",
  json: "longtext",
  bytes: "longblob",
  list: "longtext",
};

/** The type of a column in a table's definition, or of a value in a JSON list. */
export function columnType(type: ValueType, isIndexed: boolean): string {
  const { kind, length, precision, scale, choices = [] } = type;
  const stored = storedIn(type, "mariadb");
  if (stored !== undefined) return stored.type;
  if (kind === "numeric") return `decimal(${precision}, ${scale})`;
  if (kind === "varchar") return `${type.isPadded === true ? "char" : "varchar"}(${length})`;
  if (kind === "timestamp" && type.isText === true) return "datetime(6)";
  if (kind === "choice") return `varchar(${Math.max(...choices.map((text) => text.length))})`;
  // Text of any length cannot be in an index; 255 characters of four bytes are what all row formats allow.
  return kind === "text" && isIndexed ? "varchar(255)" : baseTypes[kind];
}
