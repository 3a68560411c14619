import type { ColumnKind } from "../../../columns/index.js";

/** Types in which values are stored. */
export const columnTypes: Readonly<Record<ColumnKind, string>> = {
  identity: "integer",
  integer: "integer",
  bigint: "integer",
  double: "real",
  numeric: "text",
  text: "text",
  varchar: "text",
  choice: "text",
  boolean: "integer",
  date: "text",
  time: "text",
  timestamp: "text",
  localTimestamp: "text",
  uuid: "text",
  json: "text",
  bytes: "blob",
  list: "text",
};
