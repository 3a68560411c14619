import { type Scalar, typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  columnAt,
  expectKey,
  pathTo,
  type QueryState,
  qualified,
  type ResolvedColumn,
  type ResolvedEntity,
} from "../expression/index.js";
import { type GivenAt, storedOrThrow } from "../model/index.js";
import { fieldsOf, projectionOfQuery, rowAt } from "../query/index.js";
import { assignedIn, fitted } from "./assigned.js";
import { isOfOwnRow } from "./leaves.js";
import { type PortionRules, portionsOf } from "./portions.js";
import { planReturning, type ReturningOption } from "./returning.js";
import type { Assigned, ConflictPlan, InsertFromPlan, InsertPlan } from "./write-plan.js";

/** A new row, as the user gives it. */
export type GivenRow = Readonly<Record<string, unknown>>;

/** What a row that is there already is given; "given": all that the new row brings. */
export type ConflictSet = "given" | ((old: unknown, proposed: unknown) => unknown);

/** What an insert does besides adding rows. */
export interface InsertOptions {
  readonly returning: ReturningOption;
  /** The columns by which a row is found that is there already (those of the primary key by default), and what it is given. */
  readonly conflict?: { readonly by: readonly string[] | undefined; readonly set: ConflictSet };
  /** What one statement takes. */
  readonly rules: PortionRules;
}

/** What a row has for a column; undefined where it leaves the column out, be it with the value object that it is part of. */
function givenFor(row: GivenRow, { steps }: Pick<ResolvedColumn, "steps">): unknown {
  let at: unknown = row;
  for (const name of steps) {
    if (at === null) return null;
    if (at === undefined) return undefined;
    at = Object.hasOwn(at as object, name) ? (at as GivenRow)[name] : undefined;
  }
  return at;
}

/** Whether a value object that a column is part of is given, so that its columns must have their values. */
function isInside(row: GivenRow, { steps }: ResolvedColumn): boolean {
  if (steps.length === 1) return true;
  const owner = givenFor(row, { steps: steps.slice(0, -1) });
  return owner !== null && owner !== undefined;
}

/** The columns that an insert names: those that a row brings, and those for which code has values. What is left out is the database's matter. */
function columnsFor(entity: ResolvedEntity, rows: readonly GivenRow[], call: string): readonly ResolvedColumn[] {
  for (const row of rows)
    for (const name of Object.keys(row))
      if (!entity.members.has(name))
        throw new GemachError("NAME_UNKNOWN", { entity: entity.name, name, known: [...entity.members.keys()] });
  return [...entity.columns.values()].filter((column) => {
    const first = rows.findIndex((row) => givenFor(row, column) !== undefined);
    if (column.isComputed && first >= 0)
      throw new GemachError("COLUMN_COMPUTED", { column: qualified(column), call, row: first + 1 });
    const isMissed = column.isRequired && !column.isComputed && column.kind !== "identity";
    return first >= 0 || column.initial !== undefined || (isMissed && !column.hasDefault);
  });
}

/** A new row's value: given, or made by code; undefined where the database has one of its own. */
function valueFor(row: GivenRow, column: ResolvedColumn, at: GivenAt): Scalar | undefined {
  const given = givenFor(row, column);
  const isThere = isInside(row, column);
  if (!isThere && column.isNullable) return given === null ? null : undefined;
  if (given !== undefined) return storedOrThrow(column, given, !column.isRequired, at);
  if (column.initial !== undefined) return storedOrThrow(column, column.initial(), !column.isRequired, at);
  if (column.hasDefault || column.kind === "identity" || !column.isRequired) return undefined;
  return storedOrThrow(column, given, false, at);
}

function planConflict(
  entity: ResolvedEntity,
  columns: readonly ResolvedColumn[],
  keys: readonly ResolvedColumn[],
  set: ConflictSet,
): ConflictPlan {
  const [old, proposed] = [{ entity }, { entity }];
  const given = (): readonly Assigned[] =>
    columns
      .filter((column) => !keys.includes(column) && !column.isKey)
      .map((column) => ({ column, value: columnAt(pathTo(proposed), column) }));
  const assigned = set === "given" ? given() : assignedIn(entity, set(rowAt(old), rowAt(proposed)), { call: "upsert" });
  const beyond = assigned.find(({ value }) => !isOfOwnRow(value));
  if (beyond !== undefined)
    throw new GemachError("CHANGE_BEYOND_ROW", { column: qualified(beyond.column), call: "upsert" });
  return { by: keys, old, proposed, set: assigned };
}

function columnIn({ name: entity, columns }: ResolvedEntity, name: string): ResolvedColumn {
  const column = columns.get(name);
  if (column === undefined) throw new GemachError("NAME_UNKNOWN", { entity, name, known: [...columns.keys()] });
  return column;
}

function refuseReadOnly({ isReadOnly, name }: ResolvedEntity): void {
  if (isReadOnly) throw new GemachError("ENTITY_READ_ONLY", { entity: name });
}

/**
 * Rows to be inserted, all of them checked.
 * @throws GemachError `ENTITY_READ_ONLY`, `NAME_UNKNOWN`, `COLUMN_COMPUTED`, `COLUMN_WITHOUT_VALUE`, `VALUE_UNFIT`,
 * `VALUE_REFUSED`, `RETURN_BEYOND_ROW`
 */
export function planInsert(entity: ResolvedEntity, rows: readonly GivenRow[], options: InsertOptions): InsertPlan {
  refuseReadOnly(entity);
  const { conflict, returning, rules } = options;
  const call = conflict === undefined ? "insert" : "upsert";
  const columns = columnsFor(entity, rows, call);
  const values = rows.map((row, i) => columns.map((column) => valueFor(row, column, { call, row: i + 1 })));
  if (conflict?.by !== undefined && !Array.isArray(conflict.by))
    throw new GemachError("VALUE_UNFIT", {
      column: `by of upsert() of ${entity.name}`,
      expected: 'a list of columns, as in ["name"]',
      got: typeWord(conflict.by),
    });
  if (conflict !== undefined && conflict.by === undefined) expectKey(entity, "upsert() without 'by'");
  const keys = conflict?.by?.map((name) => columnIn(entity, name)) ?? entity.key;
  const portions = portionsOf(columns, values, rules, conflict === undefined ? undefined : keys);
  return {
    kind: "insert",
    entity,
    portions: portions.map((portion) => ({
      ...portion,
      conflict: conflict === undefined ? undefined : planConflict(entity, portion.columns, keys, conflict.set),
    })),
    count: rows.length,
    returning: planReturning(entity, returning),
  };
}

/** The rows of a query to be inserted, its values in the columns of their names. */
export function planInsertFrom(entity: ResolvedEntity, query: QueryState): InsertFromPlan {
  refuseReadOnly(entity);
  const set = [...fieldsOf(projectionOfQuery(query))].map(([path, node]): Assigned => {
    const column = columnIn(entity, path);
    return { column, value: fitted(column, node, { call: "insertFrom" }) };
  });
  return { kind: "insertFrom", entity, query, set };
}
