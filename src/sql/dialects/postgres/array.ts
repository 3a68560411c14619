import type { Scalar } from "../../../columns/index.js";

/** One element of an array literal. PostgreSQL 15, 8.15.2: in double quotes, with backslashes before quotes and backslashes. */
const element = (value: string | null): string => (value === null ? "null" : `"${value.replace(/["\\]/g, "\\$&")}"`);

/** An array literal of elements, each in its own text form. */
export const arrayLiteral = (values: readonly (string | null)[]): string => `{${values.map(element).join(",")}}`;

/** The elements of an array of one dimension, as the server writes it. */
export function parseArray(literal: string, decode: (text: string) => Scalar): readonly Scalar[] {
  const parts: Scalar[] = [];
  for (const match of literal.slice(1, -1).matchAll(/"((?:[^"\\]|\\.)*)"|([^,]+)/gs)) {
    const [, quoted, bare] = match;
    if (quoted !== undefined) parts.push(decode(quoted.replace(/\\(.)/gs, "$1")));
    else parts.push(bare === "NULL" ? null : decode(bare as string));
  }
  return parts;
}
