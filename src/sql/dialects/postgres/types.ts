import type { ColumnKind, ValueType } from "../../../columns/index.js";
import { storedIn } from "../stored.js";

const baseTypes: Readonly<Record<Exclude<ColumnKind, "list">, string>> = {
  identity: "integer",
  integer: "integer",
  bigint: "bigint",
  double: "double precision",
  numeric: "numeric",
  text: "text",
  varchar: "text",
  choice: "text",
  boolean: "boolean",
  date: "date",
  time: "time",
  timestamp: "timestamptz",
  localTimestamp: "timestamp",
  uuid: "uuid",
  json: "jsonb",
  bytes: "bytea",
};

/** A type's name where values are cast to it. */
export function castType(type: ValueType): string {
  const stored = storedIn(type, "postgres");
  if (stored !== undefined) return stored.type;
  if (type.kind === "list") return `${castType(type.element as ValueType)}[]`;
  // A length would cut values short; a cast to the plain type has none.
  return type.isPadded === true ? "bpchar" : baseTypes[type.kind];
}

/** The type of a column in a table's definition. */
export function columnType(type: ValueType): string {
  if (type.stored?.postgres !== undefined) return castType(type);
  switch (type.kind) {
    case "timestamp":
      return type.isText === true ? "timestamptz" : "timestamptz(3)";
    case "numeric":
      return `numeric(${type.precision}, ${type.scale})`;
    case "varchar":
      return `${type.isPadded === true ? "char" : "varchar"}(${type.length})`;
    default:
      return castType(type);
  }
}
