import { canonicalOf, expectedOf } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { qualified, type ResolvedEntity, type StandingCondition } from "../ir/index.js";
import { type LiveObject, liveStateOf } from "../live/index.js";
import type { Unit } from "./unit.js";

/** The standing condition of an entity whose rows are hidden in place of being deleted. */
export const markIn = ({ standing }: ResolvedEntity): StandingCondition | undefined =>
  standing.find(({ removed }) => removed !== undefined);

/** What a column gets of rows that are hidden in place of being deleted, in code. */
export function hiddenBy({ column, removed }: StandingCondition): unknown {
  const value = removed?.();
  if (canonicalOf(value, column.type) !== undefined) return value;
  throw new GemachError("VALUE_UNFIT", {
    column: qualified(column),
    expected: expectedOf(column.type),
    got: "something else",
  });
}

/** Whether a removed entity is only marked: its row stays. */
export const isMarked = ({ forGood }: Unit, live: LiveObject): boolean =>
  markIn(liveStateOf(live).kind.entity) !== undefined && !forGood.has(live);
