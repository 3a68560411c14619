import type { ColumnKind, ValueType } from "../../../columns/index.js";

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
  uuid: "uuid",
  json: "jsonb",
  bytes: "bytea",
};

/** A type's name where values are cast to it. */
export const castType = (type: ValueType): string =>
  type.kind === "list" ? `${castType(type.element as ValueType)}[]` : baseTypes[type.kind];

/** The type of a column in a table's definition. */
export function columnType(type: ValueType): string {
  switch (type.kind) {
    case "numeric":
      return `numeric(${type.precision}, ${type.scale})`;
    case "varchar":
      return `varchar(${type.length})`;
    default:
      return castType(type);
  }
}
