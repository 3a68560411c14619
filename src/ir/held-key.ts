import { comparedKind, kinds } from "../columns/index.js";
import type { Path, ResolvedColumn } from "./resolved.js";

/** A column of a row, and the path to the row. */
export interface ColumnAt {
  readonly path: Path;
  readonly column: ResolvedColumn;
}

/**
 * The column that holds a key of the row at the end of a path, where it is the very value: the last step leads from it
 * by a foreign key that the database keeps, and nothing besides says whether there is a row. Nothing has to be joined
 * for it. Undefined elsewhere.
 */
export function heldKey(path: Path, column: ResolvedColumn): ColumnAt | undefined {
  const step = path.steps.at(-1);
  if (step === undefined || step.cardinality !== "one" || step.holder !== "source" || !step.isBacked) return undefined;
  if (step.conditions.length + step.target.standing.length > 0) return undefined;
  const from = step.pairs.find(({ to }) => to === column)?.from;
  if (from === undefined || !isSame(from, column)) return undefined;
  // A key of which another part is missing leads nowhere (ISO/IEC 9075-2, match simple).
  if (step.pairs.some((pair) => pair.from !== from && pair.from.isNullable)) return undefined;
  const steps = path.steps.slice(0, -1);
  return { path: { ...path, steps, entity: step.source }, column: from };
}

/** Whether equal values of two columns are the same in code: by their bytes, and made into the same. */
const isSame = (a: ResolvedColumn, b: ResolvedColumn): boolean =>
  kinds[a.kind].isKeyedByBytes &&
  comparedKind(a.kind) === comparedKind(b.kind) &&
  a.type.codec === b.type.codec &&
  a.type.stored === b.type.stored;
