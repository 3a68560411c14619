import { derivedByName, typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  columnAt,
  expectKey,
  pathTo,
  type QueryState,
  qualified,
  type ResolvedColumn,
  type ResolvedEntity,
} from "../ir/index.js";
import { fieldsOf, projectionOfQuery, rowAt } from "../query/index.js";
import { assignedIn, fitted } from "./assigned.js";
import { isOfOwnRow } from "./leaves.js";
import { maintainedColumns, raisedVersion, startingFor } from "./maintained.js";
import { type GivenRow, newRows } from "./new-rows.js";
import { type PortionRules, portionsOf } from "./portions.js";
import { planReturning, type ReturningOption, returningKey } from "./returning.js";
import { heldSet, withHeld } from "./standing.js";
import type { Assigned, ConflictPlan, InsertFromPlan, InsertPlan } from "./write-plan.js";

/** The changes of a row that is there already; "given": all that the new row brings. */
export type ConflictSet = "given" | ((old: unknown, proposed: unknown) => unknown);

/** Options of an insert, besides its rows. */
export interface InsertOptions {
  readonly returning: ReturningOption;
  /**
   * The columns by which a row is found that is there already (those of the primary key by default), and what it is
   * given.
   */
  readonly conflict?: { readonly by: readonly string[] | undefined; readonly set: ConflictSet };
  /** What one statement takes. */
  readonly rules: PortionRules;
  /** How many rows came before them in the same call; 0 by default. */
  readonly before?: number;
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
      .filter((column) => !keys.includes(column) && !column.isKey && !column.isVersion)
      .map((column) => ({ column, value: columnAt(pathTo(proposed), column) }));
  const assigned = set === "given" ? given() : assignedIn(entity, set(rowAt(old), rowAt(proposed)), { call: "upsert" });
  const beyond = assigned.find(({ value }) => !isOfOwnRow(value));
  if (beyond !== undefined)
    throw new GemachError("CHANGE_BEYOND_ROW", { column: qualified(beyond.column), call: "upsert" });
  const paths = [pathTo(old), pathTo(proposed)] as const;
  // New rows bring what code makes for each write; a row that is there gets it too, and its version is raised.
  const others =
    assigned.length === 0
      ? []
      : maintainedColumns(entity)
          .filter((column) => !assigned.some((one) => one.column === column))
          .map((column) => ({
            column,
            value: column.isVersion
              ? raisedVersion(column, paths[0], columnAt(paths[1], column))
              : columnAt(paths[1], column),
          }));
  return { by: keys, old, proposed, set: heldSet(entity, [...assigned, ...others], paths, set === "given") };
}

const conflictPlan = derivedByName<readonly ResolvedColumn[], string, ConflictPlan>();

/** Plans a conflict once for all upserts of the same columns that end alike. */
function conflictFor(
  entity: ResolvedEntity,
  columns: readonly ResolvedColumn[],
  keys: readonly ResolvedColumn[],
  set: ConflictSet,
  end: string | undefined,
): ConflictPlan {
  const make = () => planConflict(entity, columns, keys, set);
  return end === undefined ? make() : conflictPlan(columns, end, make);
}

function columnIn({ name: entity, columns }: ResolvedEntity, name: string): ResolvedColumn {
  const column = columns.get(name);
  if (column === undefined) throw new GemachError("NAME_UNKNOWN", { entity, name, known: [...columns.keys()] });
  return column;
}

function refuseReadOnly({ isReadOnly, name }: ResolvedEntity): void {
  if (isReadOnly) throw new GemachError("ENTITY_READ_ONLY", { entity: name });
}

/** Equal for inserts of the same columns of an entity whose texts end alike; undefined where a function says how. */
function endKey({ conflict, returning }: InsertOptions): string | undefined {
  const returned = returningKey(returning);
  if (returned === undefined) return undefined;
  if (conflict === undefined) return returned;
  return typeof conflict.set === "function" ? undefined : `${returned} ${JSON.stringify(conflict.by ?? true)}`;
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
  const checked = newRows(entity, rows, call, options.before);
  if (conflict?.by !== undefined && !Array.isArray(conflict.by))
    throw new GemachError("VALUE_UNFIT", {
      column: `by of upsert() of ${entity.name}`,
      expected: 'a list of columns, as in ["name"]',
      got: typeWord(conflict.by),
    });
  if (conflict !== undefined && conflict.by === undefined) expectKey(entity, "upsert() without 'by'");
  const keys = conflict?.by?.map((name) => columnIn(entity, name)) ?? entity.key;
  const plain = portionsOf(checked, rules, conflict === undefined ? undefined : keys, entity);
  const end = endKey(options);
  const portions =
    conflict === undefined
      ? plain
      : plain.map((portion) => ({
          ...portion,
          conflict: conflictFor(entity, portion.columns, keys, conflict.set, end),
        }));
  return { kind: "insert", entity, portions, count: rows.length, returning: planReturning(entity, returning), end };
}

/** The rows of a query to be inserted, its values in the columns of their names. */
export function planInsertFrom(entity: ResolvedEntity, query: QueryState): InsertFromPlan {
  refuseReadOnly(entity);
  const set = [...fieldsOf(projectionOfQuery(query))].map(([path, node]): Assigned => {
    const column = columnIn(entity, path);
    return { column, value: fitted(column, node, { call: "insertFrom" }) };
  });
  return { kind: "insertFrom", entity, query, set: [...withHeld(entity, set), ...startingFor(entity, set)] };
}
