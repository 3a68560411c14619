import { canonicalOf, type Scalar } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import {
  allOf,
  columnAt,
  expectKey,
  isGiven,
  type Node,
  type OwnCondition,
  type ParameterValues,
  pathTo,
  type ResolvedColumn,
  type ResolvedEntity,
} from "../../ir/index.js";
import {
  type GivenRow,
  givenColumns,
  type KeyedPlan,
  type KeyedRow,
  keyedPlan,
  maintainedColumns,
  raisedVersion,
  refuseOthers,
  type UpdatePlan,
  valuesIn,
  versionAfter,
  writtenValue,
} from "../../plan/index.js";
import type { Runtime } from "../rows/gather.js";
import type { Steps } from "../sessions/steps.js";
import { conflict, countKeyed, writeKeyed, writing } from "./write.js";

/** Rows that change the same columns, and are found by the same ones. */
interface Group {
  readonly columns: readonly ResolvedColumn[];
  readonly isVersioned: boolean;
  readonly rows: KeyedRow[];
}

/**
 * Rows to be changed that are named by their keys, together those that change the same columns. A version that a row
 * brings is the one that it was read at: a row that has another one by now is not found.
 * @throws GemachError `KEY_MISSING`, `ENTITY_READ_ONLY`, `COLUMN_WITHOUT_VALUE`, `CHANGE_EMPTY`, and what an update
 * throws of values
 */
function planUpdateRows(
  entity: ResolvedEntity,
  rows: readonly GivenRow[],
  call: string,
  handle: ParameterValues | undefined,
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

/**
 * One row found by its key, by a statement that the database works out: a version that must be later than it was, a row
 * that another one shows.
 */
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

/** The changes of rows that are named by their keys, and the work that does them. */
export function updatingRows(
  entity: ResolvedEntity,
  rows: readonly GivenRow[],
  values: ParameterValues | undefined,
  runtime: Runtime,
): { readonly plans: readonly (KeyedPlan | UpdatePlan)[]; readonly steps: () => Steps<number> } {
  const plans = planUpdateRows(entity, rows, "updateRows", values);
  const steps = function* (): Steps<number> {
    let count = 0;
    for (const plan of plans)
      if (plan.kind === "update") {
        const changed = (yield* writing(plan, runtime, values, true).steps()) as number;
        if (plan.isVersioned === true && changed === 0) throw conflict(plan.query.source.entity, []);
        count += changed;
      } else if (plan.isVersioned !== true) count += yield* countKeyed(plan, runtime);
      else {
        const missed = yield* writeKeyed(plan, runtime);
        if (missed.length > 0) throw conflict(plan.entity, missed);
        count += plan.rows.length;
      }
    return count;
  };
  return { plans, steps };
}
