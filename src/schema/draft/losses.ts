import type { DialectName } from "../../sql/index.js";
import { type Change, changeLabel } from "../compare/change.js";
import { typeForm } from "../compare/forms.js";
import { isWider } from "./conversion.js";

/** Whether a change loses data, or gives a column a type that may not hold what is there. */
function isLoss(change: Change, dialect: DialectName): boolean {
  if (change.kind === "drop table") return true;
  if (change.kind === "drop column") return change.column.computed === undefined;
  if (change.kind !== "change column" || !change.facts.includes("type") || change.to.computed !== undefined)
    return false;
  return !isWider(typeForm(change.column.type, dialect), typeForm(change.to.type, dialect));
}

/** The changes that lose data or narrow a type, in words by which each can be allowed. */
export const lossesIn = (changes: readonly Change[], dialect: DialectName): readonly string[] =>
  changes.filter((change) => isLoss(change, dialect)).map(changeLabel);
