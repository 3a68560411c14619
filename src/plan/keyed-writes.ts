import type { Scalar } from "../columns/index.js";
import { kinds } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import type { OwnCondition, ResolvedColumn, ResolvedEntity } from "../ir/index.js";
import type { GivenAt } from "../model/index.js";
import { assignedIn } from "./assigned.js";
import type { GivenRow } from "./new-rows.js";
import type { KeyedPlan, KeyedRow } from "./write-plan.js";

/** Whether the engine may be handed the keys as a table: where their bytes decide which are equal. */
const isListable = (by: readonly ResolvedColumn[]): boolean =>
  by.every(({ kind, type }) => kinds[kind].isKeyedByBytes && type.stored === undefined);

/** Rows that are found by columns of theirs, each to be given values of the same columns; or to be deleted. */
export function keyedPlan(
  verb: KeyedPlan["verb"],
  entity: ResolvedEntity,
  columns: readonly ResolvedColumn[],
  by: readonly ResolvedColumn[],
  rows: readonly KeyedRow[],
  visible: readonly OwnCondition[] = [],
): KeyedPlan {
  if (entity.isReadOnly) throw new GemachError("ENTITY_READ_ONLY", { entity: entity.name });
  // Of two changes of one row the later one counts.
  const isOnce = new Set(rows.map(({ found }) => found.join("\u0000"))).size === rows.length;
  return {
    kind: "keyed",
    verb,
    entity,
    columns,
    by,
    rows,
    visible,
    isListable: rows.length > 1 && isOnce && isListable(by),
  };
}

/** The columns that an object of changes gives values, with these. */
export function valuesIn(entity: ResolvedEntity, changes: GivenRow, at: GivenAt): ReadonlyMap<ResolvedColumn, Scalar> {
  return new Map(
    assignedIn(entity, changes, at).map(({ column, value }) => {
      if (value.kind === "value") return [column, value.value];
      throw new GemachError("VALUE_UNFIT", {
        column: `${column.entity}.${column.property}`,
        expected: "a value",
        got: "an expression",
        ...at,
      });
    }),
  );
}
