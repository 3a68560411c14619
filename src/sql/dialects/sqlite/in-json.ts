import type { ValueType } from "../../../columns/index.js";

/**
 * An expression in a form that comes over the wire without loss: a driver would give a number, which does not hold 64
 * bits.
 */
export const read = (expression: string, { kind }: ValueType): string =>
  kind === "bigint" ? `cast(${expression} as text)` : expression;

/** An expression as a value of JSON that loses nothing; without a type it is nested rows itself. */
export function inJson(expression: string, type: ValueType | undefined): string {
  if (type === undefined) return `json(${expression})`;
  // Digits between quotes, X'00FF', or NULL. Of a double all digits: JSON had 15 in earlier versions.
  return type.kind === "bytes" || type.kind === "double" ? `quote(${expression})` : read(expression, type);
}
