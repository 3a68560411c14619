import type { StatementPlan } from "../plan/index.js";
import type { Dialect, Keys, Wire } from "../sql/index.js";
import type { WireRows } from "./driver.js";
import { keyOf } from "./gather.js";

/** A key in one form, however a column stores it. */
export function ownerKey(row: readonly Wire[], slots: readonly number[], { keyForm }: Dialect["wire"]): Wire {
  const key = keyOf(row, slots);
  return typeof key === "string" && keyForm !== undefined ? keyForm(key) : key;
}

/** The key of each row's owner, as it was sent: by the columns that hold it, or by its position among those sent. */
export function ownerKeys(
  { byPosition, ownerSlots }: StatementPlan,
  rows: WireRows,
  sent: Keys,
  { wire }: Dialect,
): readonly Wire[] {
  if (!byPosition) return rows.map((row) => ownerKey(row, ownerSlots, wire));
  const [slot] = ownerSlots as readonly [number];
  const all = [...(sent[0] ?? []).keys()];
  const keys = sent.map((key) => ownerKey(key, all, wire));
  return rows.map((row) => keys[Number(row[slot]) - wire.firstPosition] as Wire);
}
