import { kinds } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import type { ResolvedRelation } from "../../ir/index.js";
import type { Wire } from "../../sql/index.js";

/** The error where the key in these slots of a row leads to no row. */
export function rowMissing(
  { name, source, target, steps }: ResolvedRelation,
  row: readonly Wire[],
  keys: Iterable<number>,
): GemachError {
  const slots = [...keys];
  const words = steps[0].pairs.map(({ from }, i) =>
    kinds[from.type.kind].isShown && slots[i] !== undefined
      ? `${from.property} ${row[slots[i] as number]}`
      : from.property,
  );
  return new GemachError("RELATED_MISSING", {
    entity: source.name,
    relation: name,
    target: target.name,
    key: words.join(", "),
  });
}
