import { canonicalOf, type Scalar } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { type ResolvedColumn, type ResolvedEntity, valueAt } from "../ir/index.js";
import { type LiveObject, type LiveState, noteAddedColumn } from "../live/index.js";
import { type KeyedRow, keyedPlan, maintainedColumns, refuseOthers, valuesIn } from "../plan/index.js";
import { conflict, type Steps, writeKeyed } from "../run/index.js";
import { byEntity } from "./by-entity.js";
import type { Changed } from "./changes.js";
import { isMovedByKey, unloadTo } from "./follow.js";
import { defineField } from "./live-kind.js";
import { renewComputed } from "./load.js";
import { snapshotOfRow } from "./snapshots.js";
import type { Unit } from "./unit.js";
import { nextVersion, versionOf } from "./version.js";

/** The values by which a row is found: its key, and its version where it has one. */
export function foundBy(live: LiveObject, state: LiveState, by: readonly ResolvedColumn[]): readonly Scalar[] {
  return by.map((column) => {
    if (!column.isVersion) return canonicalOf(valueAt(live, column.steps), column.type) as Scalar;
    const original = state.original[column.property];
    return canonicalOf(column.kind === "timestamp" ? new Date(original as number) : original, column.type) as Scalar;
  });
}

/** The columns by which a row is found: its key, and its version where it has one. */
export const columnsToFind = (entity: ResolvedEntity): readonly ResolvedColumn[] => {
  const version = versionOf(entity);
  return version === undefined ? entity.key : [...entity.key, version];
};

/** Gives changed entities the values that each write makes anew, but where code has given them others. */
export function maintain(changed: readonly Changed[]): void {
  for (const { live, kept: state, names } of changed)
    for (const column of maintainedColumns(state.kind.entity)) {
      const name = column.steps[0] as string;
      if (column.isVersion || column.steps.length > 1 || names.includes(name)) continue;
      defineField(live, name, column.written?.());
      noteAddedColumn(state, name);
    }
}

/** Writes the changed columns of entities, those together that change the same ones. */
export function* updateAll(unit: Unit, changed: readonly Changed[]): Steps<void> {
  const groups = new Map<ResolvedEntity, Map<string, { columns: readonly ResolvedColumn[]; rows: KeyedRow[] }>>();
  const written: (readonly [LiveState, LiveObject])[] = [];
  const moved = new Set<ResolvedEntity>();
  for (const { live, kept: state, names } of changed) {
    const { entity } = state.kind;
    if (isMovedByKey(live, state, names)) moved.add(entity);
    const version = versionOf(entity);
    const missing = names.find((name) => live[name] === undefined);
    if (missing !== undefined) throw new GemachError("VALUE_MISSING", { column: `${entity.name}.${missing}` });
    const found = foundBy(live, state, columnsToFind(entity));
    if (version !== undefined)
      defineField(live, version.property, nextVersion(version, state.original[version.property]));
    const given = Object.fromEntries(
      [...names, ...(version === undefined ? [] : [version.property])].map((name) => [name, live[name]]),
    );
    refuseOthers(entity, given, unit.context.values, "flush");
    const values = valuesIn(entity, given, { call: "flush" });
    written.push([state, snapshotOfRow(state, given)]);
    const same = new Set(
      names.flatMap((name) => state.kind.snapshots.get(name)?.same?.(live[name], state.original[name]) ?? []),
    );
    const columns = [...values.keys()].filter((column) => !same.has(column));
    const ofEntity = groups.get(entity) ?? new Map();
    groups.set(entity, ofEntity);
    if (columns.length === 0) continue;
    const text = columns.map(({ property }) => property).join("\u0000");
    const group = ofEntity.get(text) ?? { columns, rows: [] };
    ofEntity.set(text, group);
    group.rows.push({ values: columns.map((column) => values.get(column) as Scalar), found });
  }
  for (const [entity, ofEntity] of groups)
    for (const { columns, rows } of ofEntity.values()) {
      const plan = keyedPlan("update", entity, columns, columnsToFind(entity), rows);
      unit.writing = plan;
      const check = unit.hiddenCheck?.(unit.context, [plan]);
      if (check !== undefined) yield* check();
      const missed = yield* writeKeyed(plan, unit.context.compiler.runtime);
      if (missed.length > 0) throw conflict(entity, missed);
    }
  for (const { live } of changed) unit.touched.delete(live);
  for (const [state, row] of written) Object.assign(state.original, row);
  for (const [entity, lives] of byEntity(changed.map(({ live }) => live))) yield* renewComputed(unit, entity, lives);
  for (const entity of moved) unloadTo(unit, entity);
}
