import { typeOf } from "../../ir/index.js";
import type { Returning } from "../../plan/index.js";
import { startScope, value } from "../translate/expression.js";
import { addTable, tableOf } from "../translate/scope.js";
import { selectOver } from "../tree/select.js";
import type { SelectItem } from "../tree/tree.js";

/** What a write gives of each row. */
export function returnedItems(returning: Returning | undefined): readonly SelectItem[] {
  if (returning === undefined) return [];
  const { source, outputs } = returning;
  const scope = startScope();
  scope.tables.set(source, addTable(selectOver(tableOf(source.entity, "")), source.entity, ""));
  return outputs.map((node) => ({ expression: value(scope, node), alias: undefined, read: typeOf(node).type }));
}
