import { type Node, type ResolvedEntity, sourceIn, typeOf } from "../expression/index.js";
import type { Dialect } from "./dialect.js";
import { printDefinition } from "./print.js";
import { draftFrom, placeIn, tableOf } from "./scope.js";
import { condition, startScope, value } from "./translate-expression.js";

/**
 * An expression of a row's own columns as a table's definition has it. A rule is a condition, which a
 * missing value does not break; anything else is a value.
 */
export function definitionOf(entity: ResolvedEntity, node: Node, dialect: Dialect): string {
  const source = sourceIn(node);
  const scope = startScope(dialect);
  if (source !== undefined) scope.places.set(source, placeIn(draftFrom(tableOf(entity, "")), entity, ""));
  const isRule = typeOf(node).type.kind === "boolean";
  return printDefinition(isRule ? condition(scope, node) : value(scope, node), dialect);
}
