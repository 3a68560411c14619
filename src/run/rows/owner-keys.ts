import type { StatementPlan } from "../../plan/index.js";
import type { Dialect, Keys, Wire } from "../../sql/index.js";
import type { WireRows } from "../sessions/driver.js";
import { keyOf } from "./gather.js";

/** What tells an exact key of several columns from others: a number and the text of its digits may be two keys. */
const exactPart = (part: Wire): Wire => (typeof part === "string" ? `'${part}` : part);

/**
 * A key as one value. Where bytes decide which keys are equal it is in one form, however a column stores it; elsewhere
 * each key that differs at all is one of its own, since the database alone knows which are equal.
 */
export function ownerKey(
  row: readonly Wire[],
  slots: readonly number[],
  { keyForm }: Dialect["wire"],
  byPosition: boolean,
): Wire {
  if (byPosition) return slots.length === 1 ? keyOf(row, slots) : keyOf(row.map(exactPart), slots);
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
  if (!byPosition) return rows.map((row) => ownerKey(row, ownerSlots, wire, false));
  const [slot] = ownerSlots as readonly [number];
  const all = [...(sent[0] ?? []).keys()];
  const keys = sent.map((key) => ownerKey(key, all, wire, true));
  return rows.map((row) => keys[Number(row[slot]) - wire.firstPosition] as Wire);
}
