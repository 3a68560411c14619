import type { ColumnKind } from "../../../columns/index.js";

/** Types in which values are stored; others as text. */
export const columnTypes: Readonly<Partial<Record<ColumnKind, string>>> = {
  identity: "integer",
  integer: "integer",
  bigint: "integer",
  double: "real",
  boolean: "integer",
  bytes: "blob",
};
