import type { Scalar } from "../columns/index.js";
import { canonicalOf, kinds } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  expectKey,
  type Given,
  isGiven,
  type OwnCondition,
  type ResolvedColumn,
  type ResolvedEntity,
} from "../expression/index.js";
import type { GivenAt } from "../model/index.js";
import { assignedIn } from "./assigned.js";
import type { GivenRow } from "./new-rows.js";
import { givenColumns, refuseOthers } from "./standing.js";
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

/**
 * Rows to be changed that are named by their keys, together those that change the same columns.
 * @throws GemachError `KEY_MISSING`, `ENTITY_READ_ONLY`, `COLUMN_WITHOUT_VALUE`, `CHANGE_EMPTY`, and what an update throws of values
 */
export function planUpdateRows(
  entity: ResolvedEntity,
  rows: readonly GivenRow[],
  call: string,
  handle: Given | undefined,
): readonly KeyedPlan[] {
  expectKey(entity, `${call}()`);
  const given = givenColumns(entity, handle);
  const visible = entity.standing.flatMap(({ column, value }): readonly OwnCondition[] =>
    isGiven(value) ? [] : [{ column, value }],
  );
  const by = [...entity.key, ...given.map(([column]) => column)];
  const held = given.map(([column, value]) => canonicalOf(value, column.type) as Scalar);
  const groups = new Map<string, { readonly columns: readonly ResolvedColumn[]; readonly rows: KeyedRow[] }>();
  rows.forEach((row, i) => {
    const at = { call, row: i + 1 };
    refuseOthers(entity, row, handle, call, i + 1);
    const values = valuesIn(entity, row, at);
    const found = entity.key.map((column) => {
      const value = values.get(column);
      if (value !== undefined) return value;
      const names = { column: `${entity.name}.${column.property}`, expected: "the key of a row", ...at };
      throw new GemachError("COLUMN_WITHOUT_VALUE", names);
    });
    const columns = [...values.keys()].filter((column) => !column.isKey);
    if (columns.length === 0) throw new GemachError("CHANGE_EMPTY", { entity: entity.name });
    const name = columns.map(({ property }) => property).join("\u0000");
    const group = groups.get(name) ?? { columns, rows: [] };
    groups.set(name, group);
    group.rows.push({ values: columns.map((column) => values.get(column) as Scalar), found: [...found, ...held] });
  });
  return [...groups.values()].map((group) => keyedPlan("update", entity, group.columns, by, group.rows, visible));
}
