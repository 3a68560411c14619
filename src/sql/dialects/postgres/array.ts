import type { Scalar } from "../../../columns/index.js";

/** What needs no quotes in an array literal: numbers, days and times. */
const isBare = /^[\d.:+-]+$/;

/**
 * One element of an array literal. PostgreSQL 15, 8.15.2: in double quotes, with backslashes before quotes and
 * backslashes.
 */
function element(value: string | null): string {
  if (value === null) return "null";
  return isBare.test(value) ? value : `"${value.replace(/["\\]/g, "\\$&")}"`;
}

/** An array literal of elements, each in its own text form. */
export const arrayLiteral = (values: readonly (string | null)[]): string => `{${values.map(element).join(",")}}`;

/** A list as an array literal, with a dimension for each list in lists. */
export const arrayText = (values: readonly Scalar[], toText: (value: Scalar) => string | null): string =>
  `{${values.map((value) => (Array.isArray(value) ? arrayText(value, toText) : element(toText(value)))).join(",")}}`;

/** A bracket, a comma, an element in quotes, or a bare one. */
const tokens = /[{},]|"((?:[^"\\]|\\.)*)"|([^{},"]+)/gs;

/**
 * The elements of an array, as the server writes it; undefined where it is none. Bounds of its own before it say
 * nothing of what is in it.
 */
export function parseArray(literal: string, decode: (text: string) => Scalar): readonly Scalar[] | undefined {
  const text = literal.replace(/^(?:\[-?\d+:-?\d+\])+=/, "");
  if (!text.startsWith("{")) return undefined;
  const open: Scalar[][] = [[]];
  for (const [token, quoted, bare] of text.matchAll(tokens)) {
    const last = open.at(-1) as Scalar[];
    if (token === "{") open.push([]);
    else if (token === "}") (open.at(-2) as Scalar[]).push(open.pop() as Scalar[]);
    else if (quoted !== undefined) last.push(decode(quoted.replace(/\\(.)/gs, "$1")));
    else if (bare !== undefined) last.push(bare === "NULL" ? null : decode(bare));
  }
  return open[0]?.[0] as readonly Scalar[];
}
