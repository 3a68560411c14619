import { compareDecimals, comparedKind, parseDecimal, type Scalar, type ValueType } from "../columns/index.js";

/** Texts are in the order of their code points, as in tables created from the model. */
function compareTexts(a: string, b: string): number {
  const [left, right] = [[...a], [...b]];
  const at = left.findIndex((letter, i) => letter !== right[i]);
  if (at < 0) return left.length - right.length;
  const other = right[at];
  return other === undefined ? 1 : (left[at]?.codePointAt(0) as number) - (other.codePointAt(0) as number);
}

/** The order of two values of one type: negative if the first comes first, 0 if they are equal. */
export function compareValues(a: Scalar, b: Scalar, { kind }: ValueType): number {
  if (kind === "numeric") return compareDecimals(parseDecimal(a as string), parseDecimal(b as string));
  if (comparedKind(kind) === "text") return compareTexts(a as string, b as string);
  if (a instanceof Uint8Array && b instanceof Uint8Array) return String(a) === String(b) ? 0 : 1;
  if (a === b) return 0;
  return (a as number) < (b as number) ? -1 : 1;
}

/** A comparison of two values. */
interface ComparisonRule {
  /** Whether it is true of two values in this order: negative, 0 or positive. */
  readonly holds: (order: number) => boolean;
  /** The comparison that is true if this one is false. */
  readonly opposite: string;
  /** Whether it asks which value comes first, or only whether they are equal. */
  readonly isOrdered: boolean;
}

/** All comparisons: what each means. */
export const comparisons = {
  equal: { holds: (order) => order === 0, opposite: "unequal", isOrdered: false },
  unequal: { holds: (order) => order !== 0, opposite: "equal", isOrdered: false },
  below: { holds: (order) => order < 0, opposite: "atLeast", isOrdered: true },
  above: { holds: (order) => order > 0, opposite: "atMost", isOrdered: true },
  atMost: { holds: (order) => order <= 0, opposite: "above", isOrdered: true },
  atLeast: { holds: (order) => order >= 0, opposite: "below", isOrdered: true },
} as const satisfies Record<string, ComparisonRule>;

/** The name of a comparison of two values. */
export type Comparison = keyof typeof comparisons;
