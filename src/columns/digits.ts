import type { ColumnKind, ValueType } from "./value-type.js";

/** Digits of whole numbers of 32 and of 64 bits. */
const wholeDigits: Partial<Record<ColumnKind, number>> = { integer: 10, identity: 10, bigint: 19 };

/** How many digits numbers of a type have at most, and how many of them after the point. */
export const digitsOf = ({ kind, precision = 1, scale = 0 }: ValueType): readonly [precision: number, scale: number] =>
  kind === "numeric" ? [precision, scale] : [wholeDigits[kind] ?? 1, 0];
