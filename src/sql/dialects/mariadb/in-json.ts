import type { ColumnKind, ValueType } from "../../../columns/index.js";

const nestedAsText: ReadonlySet<ColumnKind> = new Set(["bigint", "numeric", "json", "list"]);

/** An expression as a value of JSON that loses nothing; without a type it is nested rows itself. */
export function inJson(expression: string, type: ValueType | undefined): string {
  if (type === undefined) return expression;
  if (type.kind === "bytes") return `hex(${expression})`;
  // A number of JSON is read as a floating-point one; and text that the server takes for JSON would lose its form.
  return nestedAsText.has(type.kind) ? `concat(${expression})` : expression;
}
