import { GemachError } from "../errors/index.js";
import type { ColumnKind } from "../model/index.js";
import type { Scalar } from "./node.js";

const isDay = (value: string): boolean => {
  if (!/^\d{4}-\d{2}-\d{2}$/.test(value) || value.startsWith("0000")) return false;
  const day = new Date(`${value}T00:00:00Z`);
  return !Number.isNaN(day.getTime()) && day.toISOString().startsWith(value);
};

const isWhole = (value: unknown): boolean =>
  typeof value === "number" && Number.isInteger(value) && value >= -2_147_483_648 && value <= 2_147_483_647;

/** What each kind takes: the words for it and the check of it. */
const rules: Record<ColumnKind, { readonly expected: string; readonly fits: (value: unknown) => boolean }> = {
  identity: { expected: "a whole number of 32 bits", fits: isWhole },
  integer: { expected: "a whole number of 32 bits", fits: isWhole },
  text: { expected: "a string", fits: (value) => typeof value === "string" },
  boolean: { expected: "true or false", fits: (value) => typeof value === "boolean" },
  date: { expected: "a day such as '2026-05-01'", fits: (value) => typeof value === "string" && isDay(value) },
};

/** A word for a value's type that does not give the value away. */
const typeWord = (value: unknown): string => {
  if (value === null) return "null";
  if (Array.isArray(value)) return "a list";
  if (value instanceof Date) return "a Date";
  return typeof value === "object" ? "an object" : `another ${typeof value}`;
};

/**
 * The value, if a column or expression of this kind takes it; null always passes.
 * @throws GemachError `VALUE_MISSING` for undefined, `VALUE_UNFIT` for what does not fit.
 */
export function checked(value: unknown, kind: ColumnKind, label: string): Scalar {
  if (value === undefined) throw new GemachError("VALUE_MISSING", { column: label });
  if (value === null) return null;
  const rule = rules[kind];
  if (!rule.fits(value))
    throw new GemachError("VALUE_UNFIT", { column: label, expected: rule.expected, got: typeWord(value) });
  return value as Scalar;
}
