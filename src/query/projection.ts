import { typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import { isExpression, nodeOf, presenceOf } from "../expression/index.js";
import type { Projection } from "../ir/index.js";
import { isRelatedSet } from "./reference.js";
import { collectedIn } from "./selection.js";

const isPlainObject = (value: unknown): value is Record<string, unknown> =>
  typeof value === "object" && value !== null && Object.getPrototypeOf(value) === Object.prototype;

/**
 * The tree of what a projection's function gave.
 * @throws GemachError `SELECTION_UNFIT` where something in it is no expression.
 */
export function projectionOf(selection: unknown, entity: string, path: readonly string[] = []): Projection {
  if (isExpression(selection)) return { kind: "value", node: nodeOf(selection) };
  const collected = collectedIn(selection);
  if (collected !== undefined && path.length > 0)
    return {
      kind: "rows",
      set: collected.set,
      projection: projectionOf(collected.selection, collected.set.source.entity.name),
    };
  if (isRelatedSet(selection) || !isPlainObject(selection) || Object.keys(selection).length === 0)
    throw new GemachError("SELECTION_UNFIT", {
      entity,
      path: path.length === 0 ? "its top" : `'${path.join(".")}'`,
      got: isRelatedSet(selection) ? "a set of rows" : typeWord(selection),
    });
  const fields = Object.entries(selection).map(
    ([name, part]) => [name, projectionOf(part, entity, [...path, name])] as const,
  );
  return { kind: "object", fields, presence: presenceOf(selection) };
}
