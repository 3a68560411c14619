import { canonicalOf } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import {
  type Given,
  qualified,
  type ResolvedColumn,
  type ResolvedEntity,
  standingHole,
  valueAt,
} from "../expression/index.js";
import type { GivenRow } from "./new-rows.js";
import type { Assigned } from "./write-plan.js";

/** The columns whose values a database handle gives, and those values. */
export function givenColumns(
  { standing }: ResolvedEntity,
  values: Given | undefined,
): readonly (readonly [ResolvedColumn, unknown])[] {
  return standing.flatMap(({ column, value }) => {
    if (typeof value !== "object" || value === null || !("given" in value)) return [];
    const given = values?.get(standingHole(value.given));
    if (given === undefined) throw new GemachError("STANDING_OPEN", { name: value.given });
    return [[column, given] as const];
  });
}

/** Refuses another value than the handle's, where a row or a change has one. */
export function refuseOthers(
  entity: ResolvedEntity,
  row: GivenRow,
  values: Given | undefined,
  call: string,
  number?: number,
): void {
  for (const [column, given] of givenColumns(entity, values)) {
    const own = valueAt(row, column.steps);
    if (own !== undefined && canonicalOf(own, column.type) !== canonicalOf(given, column.type))
      throw new GemachError("STANDING_BROKEN", { column: qualified(column), call, row: number });
  }
}

/** New rows with the values that the handle gives; `before`: how many came before them. */
export function withGiven(
  entity: ResolvedEntity,
  rows: readonly GivenRow[],
  values: Given | undefined,
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

/** Refuses a change that gives a column another value than the handle's, or one that only the database knows. */
export function refuseOtherSet(entity: ResolvedEntity, set: readonly Assigned[], values: Given | undefined): void {
  if (entity.standing.length === 0) return;
  for (const [column, given] of givenColumns(entity, values)) {
    const assigned = set.find((one) => one.column === column)?.value;
    if (assigned !== undefined && !(assigned.kind === "value" && assigned.value === canonicalOf(given, column.type)))
      throw new GemachError("STANDING_BROKEN", { column: qualified(column), call: "update" });
  }
}
