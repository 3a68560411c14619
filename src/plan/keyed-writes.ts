import type { Scalar } from "../columns/index.js";
import { canonicalOf, kinds } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  allOf,
  columnAt,
  expectKey,
  type Given,
  isGiven,
  type Node,
  type OwnCondition,
  pathTo,
  type ResolvedColumn,
  type ResolvedEntity,
} from "../expression/index.js";
import type { GivenAt } from "../model/index.js";
import { assignedIn } from "./assigned.js";
import { maintainedColumns, raisedVersion, versionAfter, writtenValue } from "./maintained.js";
import type { GivenRow } from "./new-rows.js";
import { givenColumns, refuseOthers } from "./standing.js";
import type { KeyedPlan, KeyedRow, UpdatePlan } from "./write-plan.js";

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

/** Rows that change the same columns, and are found by the same ones. */
interface Group {
  readonly columns: readonly ResolvedColumn[];
  readonly isVersioned: boolean;
  readonly rows: KeyedRow[];
}

/**
 * Rows to be changed that are named by their keys, together those that change the same columns. A version that a row brings is the one
 * that it was read at: a row that has another one by now is not found.
 * @throws GemachError `KEY_MISSING`, `ENTITY_READ_ONLY`, `COLUMN_WITHOUT_VALUE`, `CHANGE_EMPTY`, and what an update throws of values
 */
export function planUpdateRows(
  entity: ResolvedEntity,
  rows: readonly GivenRow[],
  call: string,
  handle: Given | undefined,
): readonly (KeyedPlan | UpdatePlan)[] {
  expectKey(entity, `${call}()`);
  const given = givenColumns(entity, handle);
  const visible = entity.standing.flatMap(({ column, value }): readonly OwnCondition[] =>
    isGiven(value) ? [] : [{ column, value }],
  );
  const by = [...entity.key, ...given.map(([column]) => column)];
  const held = given.map(([column, value]) => canonicalOf(value, column.type) as Scalar);
  const maintained = maintainedColumns(entity);
  const version = maintained.find(({ isVersion }) => isVersion);
  const groups = new Map<string, Group>();
  const singles: UpdatePlan[] = [];
  rows.forEach((row, i) => {
    const at = { call, row: i + 1 };
    refuseOthers(entity, row, handle, call, i + 1);
    const values = new Map(valuesIn(entity, row, at));
    const found = entity.key.map((column) => {
      const value = values.get(column);
      if (value !== undefined) return value;
      const names = { column: `${entity.name}.${column.property}`, expected: "the key of a row", ...at };
      throw new GemachError("COLUMN_WITHOUT_VALUE", names);
    });
    for (const column of entity.key) values.delete(column);
    const read = version === undefined ? undefined : values.get(version);
    if (version !== undefined) values.delete(version);
    if (values.size === 0) throw new GemachError("CHANGE_EMPTY", { entity: entity.name });
    for (const column of maintained)
      if (!column.isVersion && !values.has(column)) values.set(column, writtenValue(column, call));
    const isVersioned = read !== undefined;
    if ((version?.kind === "timestamp" && !isVersioned) || entity.through.length > 0) {
      singles.push(singleUpdate(entity, found, values, version, read));
      return;
    }
    if (version !== undefined && isVersioned) values.set(version, versionAfter(version, read));
    const columns = [...values.keys()];
    const name = `${isVersioned} ${columns.map(({ property }) => property).join("\u0000")}`;
    const group = groups.get(name) ?? { columns, isVersioned, rows: [] };
    groups.set(name, group);
    group.rows.push({
      values: columns.map((column) => values.get(column) as Scalar),
      found: [...found, ...held, ...(isVersioned ? [read] : [])],
    });
  });
  const keyed = [...groups.values()].map(({ columns, isVersioned, rows }): KeyedPlan => {
    const foundBy = isVersioned && version !== undefined ? [...by, version] : by;
    const plan = keyedPlan("update", entity, columns, foundBy, rows, visible);
    const isRaised = version !== undefined && !columns.includes(version);
    return { ...plan, raised: isRaised ? version : undefined, isVersioned };
  });
  return [...keyed, ...singles];
}

/** One row found by its key, by a statement that the database works out: a version that must be later than it was, a row that another one shows. */
function singleUpdate(
  entity: ResolvedEntity,
  found: readonly Scalar[],
  values: ReadonlyMap<ResolvedColumn, Scalar>,
  version: ResolvedColumn | undefined,
  read: Scalar | undefined,
): UpdatePlan {
  if (entity.isReadOnly) throw new GemachError("ENTITY_READ_ONLY", { entity: entity.name });
  const source = { entity };
  const row = pathTo(source);
  const constant = (column: ResolvedColumn, value: Scalar): Node => ({ kind: "value", value, type: column.type });
  const where = entity.key.map(
    (column, i): Node => ({
      ...{ kind: "compare", comparison: "equal", left: columnAt(row, column) },
      right: constant(column, found[i] as Scalar),
    }),
  );
  if (version !== undefined && read !== undefined)
    where.push({
      ...{ kind: "compare", comparison: "equal", left: columnAt(row, version) },
      right: constant(version, read),
    });
  const set = [...values].map(([column, value]) => ({ column, value: constant(column, value) }));
  if (version !== undefined) set.push({ column: version, value: raisedVersion(version, row) });
  return {
    kind: "update",
    isVersioned: read !== undefined,
    query: { ...allOf(source), where },
    set,
    returning: undefined,
  };
}
