import { canonicalOf, type Scalar } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  changedState,
  columnAt,
  isGiven,
  type Node,
  type ParameterValues,
  type Path,
  pathTo,
  type QueryState,
  qualified,
  type ResolvedColumn,
  type ResolvedEntity,
  standingHole,
  typeOf,
  valueAt,
} from "../ir/index.js";
import type { GivenRow } from "./new-rows.js";
import { conditionNames } from "./restricted.js";
import type { Assigned } from "./write-plan.js";

function givenOf(name: string, values: ParameterValues | undefined): unknown {
  const given = values?.get(standingHole(name));
  if (given === undefined) throw new GemachError("STANDING_OPEN", { name });
  return given;
}

/** The columns whose values a database handle gives, and those values. */
export const givenColumns = (
  { standing }: ResolvedEntity,
  values: ParameterValues | undefined,
  lifted: readonly string[] = [],
): readonly (readonly [ResolvedColumn, unknown])[] =>
  standing.flatMap(({ name, column, value }) =>
    isGiven(value) && !lifted.includes(name) ? [[column, givenOf(value.given, values)] as const] : [],
  );

/** Refuses another value than the handle's, where a row or a change has one. */
export function refuseOthers(
  { standing }: ResolvedEntity,
  row: GivenRow,
  values: ParameterValues | undefined,
  call: string,
  number?: number,
): void {
  for (const { column, value } of standing) {
    const own = isGiven(value) ? valueAt(row, column.steps) : undefined;
    if (own === undefined || !isGiven(value)) continue;
    if (canonicalOf(own, column.type) !== canonicalOf(givenOf(value.given, values), column.type))
      throw new GemachError("STANDING_BROKEN", { column: qualified(column), call, row: number });
  }
}

/** New rows with the values that the handle gives; `before`: how many came before them. */
export function withGiven(
  entity: ResolvedEntity,
  rows: readonly GivenRow[],
  values: ParameterValues | undefined,
  call: string,
  before = 0,
): readonly GivenRow[] {
  if (entity.standing.length === 0) return rows;
  const columns = givenColumns(entity, values).filter(([{ steps }]) => steps.length === 1);
  if (columns.length === 0) return rows;
  const given = Object.fromEntries(columns.map(([{ property }, value]) => [property, value]));
  return rows.map((row, i) => {
    refuseOthers(entity, row, values, call, before + i + 1);
    return { ...row, ...given };
  });
}

/**
 * Refuses a change that gives a column another value than the handle's, or one that only the database knows; but for
 * conditions that are lifted.
 */
export function refuseOtherSet(
  { source: { entity }, lifted }: QueryState,
  set: readonly Assigned[],
  values: ParameterValues | undefined,
): void {
  if (entity.standing.length === 0) return;
  for (const [column, given] of givenColumns(entity, values, lifted)) {
    const assigned = set.find((one) => one.column === column)?.value;
    if (assigned !== undefined && !(assigned.kind === "value" && assigned.value === canonicalOf(given, column.type)))
      throw new GemachError("STANDING_BROKEN", { column: qualified(column), call: "update" });
  }
}

const isHeld = (entity: ResolvedEntity, column: ResolvedColumn): boolean =>
  entity.standing.some((one) => one.column === column && isGiven(one.value));

/**
 * What an upsert gives a row that is there: nothing that moves it to another handle, and only where the handle has it
 * already. A row of another one stays as it is. `isOfNewRow`: what it is given is what the new row brings, and not what
 * a function says.
 * @throws GemachError `STANDING_BROKEN` where a function gives a column that is the handle's
 */
export function heldSet(
  entity: ResolvedEntity,
  set: readonly Assigned[],
  [old, proposed]: readonly [Path, Path],
  isOfNewRow: boolean,
): readonly Assigned[] {
  const held = entity.standing.filter(({ value }) => isGiven(value));
  if (held.length === 0) return set;
  // What the new row brings is the handle's own; what a function says may be anything.
  const moved = isOfNewRow ? undefined : set.find(({ column }) => isHeld(entity, column));
  if (moved !== undefined)
    throw new GemachError("STANDING_BROKEN", { column: qualified(moved.column), call: "upsert" });
  const same = held.map(
    ({ column }): Node => ({
      ...{ kind: "compare", comparison: "equal" },
      ...{ left: columnAt(old, column), right: columnAt(proposed, column) },
    }),
  );
  const when: Node = same.length === 1 ? (same[0] as Node) : { kind: "logic", operator: "and", items: same };
  return set
    .filter(({ column }) => !isHeld(entity, column))
    .map(({ column, value }) => {
      const otherwise = columnAt(old, column);
      const { type, isNullable } = typeOf(otherwise);
      return { column, value: { kind: "case", branches: [{ when, value }], otherwise, type, isNullable } };
    });
}

/**
 * Lists of columns of which no two rows have the same values: those that an upsert finds rows by, and others of the
 * model.
 */
const uniquesIn = (entity: ResolvedEntity, by: readonly ResolvedColumn[]): readonly (readonly ResolvedColumn[])[] => [
  by,
  ...[...entity.columns.values()].filter(({ isUnique }) => isUnique).map((column) => [column]),
  ...entity.indexes
    .filter(({ isUnique, conditions }) => isUnique && conditions.length === 0)
    .map(({ parts }) => parts.map(({ column }) => column)),
];

/**
 * The rows of other handles that have the key of a row that was upserted, or another unique value of its own: none of
 * them may be there. `all`: all rows of the entity, whoever has them. Undefined where the handle gives no values.
 */
export function rowsOfOthers(
  all: QueryState,
  rows: readonly GivenRow[],
  by: readonly string[] | undefined,
  values: ParameterValues | undefined,
): { readonly all: QueryState; readonly visible: QueryState | undefined } | undefined {
  const { entity } = all.source;
  const held = givenColumns(entity, values);
  if (held.length === 0 && entity.through.length === 0) return undefined;
  const path = pathTo(all.source);
  const keys = by?.flatMap((name) => entity.columns.get(name) ?? []) ?? entity.key;
  const found = uniquesIn(entity, keys).flatMap((columns): readonly Node[] => {
    const of = (row: GivenRow) => columns.map((column) => canonicalOf(valueAt(row, column.steps), column.type));
    const known = rows
      .map(of)
      .filter((one): one is Scalar[] => one.every((value) => value !== undefined && value !== null));
    if (known.length === 0) return [];
    const operands = columns.map((column) => columnAt(path, column));
    const [operand] = operands;
    return operands.length === 1 && operand !== undefined
      ? [{ kind: "oneOf", operand, values: known.map(([value]) => value as Scalar) }]
      : [{ kind: "inRows", operands, rows: known }];
  });
  if (found.length === 0) return undefined;
  const either = (items: readonly Node[]): Node => ({ kind: "logic", operator: "or", items });
  const named = changedState(all, { where: [...all.where, either(found)] });
  // What another row shows is asked of the database: those that are there, but for those that are seen.
  if (entity.through.length > 0)
    return { all: named, visible: changedState(named, { lifted: conditionNames(entity, "constant") }) };
  const foreign = held.map(([column, given]): Node => {
    const right: Node = { kind: "value", value: canonicalOf(given, column.type) as Scalar, type: column.type };
    return { kind: "not", item: { kind: "compare", comparison: "equal", left: columnAt(path, column), right } };
  });
  return { all: changedState(named, { where: [...named.where, either(foreign)] }), visible: undefined };
}

/**
 * What the rows of a query, inserted as new ones, get of the handle.
 * @throws GemachError `STANDING_BROKEN` where the query names such a column
 */
export function withHeld(entity: ResolvedEntity, set: readonly Assigned[]): readonly Assigned[] {
  const held = entity.standing.flatMap(({ column, value }): readonly Assigned[] =>
    isGiven(value) ? [{ column, value: { kind: "hole", hole: standingHole(value.given), type: column.type } }] : [],
  );
  const named = held.find(({ column }) => set.some((one) => one.column === column));
  if (named !== undefined)
    throw new GemachError("STANDING_BROKEN", { column: qualified(named.column), call: "insertFrom" });
  return [...set, ...held];
}
