import type { WindowName } from "../../ir/index.js";
import type { WindowExpression } from "../tree/tree.js";

/** The functions of windows that are no aggregates, as every engine names them. */
export const windowNames: Readonly<Record<WindowName, string>> = {
  rowNumber: "row_number",
  rank: "rank",
  denseRank: "dense_rank",
  percentRank: "percent_rank",
  ntile: "ntile",
  lag: "lag",
  lead: "lead",
  firstValue: "first_value",
  lastValue: "last_value",
};

/** Rows before and after the row, which its value is worked out of. */
export function printFrame(frame: WindowExpression["frame"]): string {
  if (frame === undefined) return "";
  const { before, after } = frame;
  const end = (rows: number | undefined, side: string) =>
    rows === 0 ? "current row" : `${rows ?? "unbounded"} ${side}`;
  return ` rows between ${end(before, "preceding")} and ${end(after, "following")}`;
}
