import { canonicalOf, expectedOf, issuesOf, type Scalar, type StandardIssue, unfitWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { qualified, type ResolvedColumn } from "../ir/index.js";

/** What keeps a value out of a column. */
export type ValueFault =
  /** The database works the column out of others. */
  | { readonly fault: "computed" }
  | { readonly fault: "missing"; readonly expected: string }
  | { readonly fault: "unfit"; readonly expected: string; readonly got: string }
  /** It does not meet the column's own schema. */
  | { readonly fault: "refused"; readonly issues: readonly StandardIssue[] };

/** A value in the form for dialects, or what keeps it out. */
export type Stored = { readonly value: Scalar; readonly fault?: undefined } | ValueFault;

/**
 * What a column is given, in the form for dialects: the one place where values that are written are checked, be it for
 * an insert, an update, or the schemas of an entity's rows. `mayBeNull`: null says that there is no value.
 */
export function storedValue(column: ResolvedColumn, given: unknown, mayBeNull: boolean): Stored {
  const { type } = column;
  if (given === undefined) return { fault: "missing", expected: expectedOf(type) };
  if (column.isComputed) return { fault: "computed" };
  if (given === null && mayBeNull) return { value: null };
  // JSON has a null of its own.
  if (given === null && column.kind === "json") return { value: "null" };
  const value = given === null ? undefined : canonicalOf(given, type);
  if (value === undefined) return { fault: "unfit", expected: expectedOf(type), got: unfitWord(given, type) };
  const issues = issuesOf(column.schema, given);
  return issues.length === 0 ? { value } : { fault: "refused", issues };
}

/** Where a value was given: the call, and the number of the row among those that it was handed, from 1. */
export interface GivenAt {
  readonly call: string;
  readonly row?: number | undefined;
}

/**
 * The same for a statement that writes.
 * @throws GemachError `COLUMN_COMPUTED`, `COLUMN_WITHOUT_VALUE`, `VALUE_UNFIT`, `VALUE_REFUSED`
 */
export function storedOrThrow(column: ResolvedColumn, given: unknown, mayBeNull: boolean, at: GivenAt): Scalar {
  const stored = storedValue(column, given, mayBeNull);
  if (stored.fault === undefined) return stored.value;
  const names = { column: qualified(column), ...at };
  switch (stored.fault) {
    case "computed":
      throw new GemachError("COLUMN_COMPUTED", names);
    case "missing":
      throw new GemachError("COLUMN_WITHOUT_VALUE", { ...names, expected: stored.expected });
    case "unfit":
      throw new GemachError("VALUE_UNFIT", { ...names, expected: stored.expected, got: stored.got });
    case "refused":
      throw new GemachError("VALUE_REFUSED", { ...names, reason: stored.issues[0]?.message ?? "" });
    default:
      return stored satisfies never;
  }
}
