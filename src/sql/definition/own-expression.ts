import { type Node, sourceIn, typeOf } from "../../ir/index.js";
import type { Dialect } from "../dialects/dialect.js";
import { printDefinition } from "../print/print.js";
import { condition, startScope, value } from "../translate/expression.js";
import { addTable, tableOf } from "../translate/scope.js";
import { selectOver } from "../tree/select.js";

/**
 * An expression of a row's own columns as a table's definition has it. A rule is a condition, which a
 * missing value does not break; anything else is a value.
 */
export function ownExpression(node: Node, dialect: Dialect): string {
  const source = sourceIn(node);
  const scope = startScope();
  if (source !== undefined)
    scope.tables.set(source, addTable(selectOver(tableOf(source.entity, "")), source.entity, ""));
  const isRule = typeOf(node).type.kind === "boolean";
  return printDefinition(isRule ? condition(scope, node) : value(scope, node), dialect);
}
