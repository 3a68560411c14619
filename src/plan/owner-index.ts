import type { OrderNode, ResolvedColumn, ResolvedEntity, Source, Step } from "../ir/index.js";
import { type IndexPart, indexesIn } from "../model/index.js";

/**
 * How an index of the model serves the first rows of each owner: not at all; it finds an owner's rows; their order is
 * by primary key alone, as that of many an index; or it has them in the very order.
 */
export type OwnerIndex = "none" | "owner" | "key" | "sorted";

/** Whether parts of an index are in an order, read forwards or backwards. */
function isInOrder(parts: readonly IndexPart[], order: readonly IndexPart[]): boolean {
  const turned = order.map((term, i) => parts[i]?.column === term.column && parts[i]?.descending !== term.descending);
  const straight = order.map((term, i) => parts[i]?.column === term.column && parts[i]?.descending === term.descending);
  return straight.every(Boolean) || turned.every(Boolean);
}

const startingWith = (entity: ResolvedEntity, columns: readonly ResolvedColumn[]): readonly (readonly IndexPart[])[] =>
  indexesIn(entity).filter((parts) =>
    columns.every((column) => parts.slice(0, columns.length).some((part) => part.column === column)),
  );

/** Whether an index of the model begins with columns, in any order. */
export const beginsAnIndex = (entity: ResolvedEntity, columns: readonly ResolvedColumn[]): boolean =>
  startingWith(entity, columns).length > 0;

/** How well an index serves the first rows of each owner, who is one step away, in a total order. */
export function ownerIndex(
  source: Source,
  [step, ...others]: readonly Step[],
  order: readonly OrderNode[],
): OwnerIndex {
  if (step === undefined || others.length > 0 || step.holder !== "target") return "none";
  const { entity } = source;
  const owner = step.pairs.map(({ to }) => to);
  const found = startingWith(entity, owner);
  if (found.length === 0) return "none";
  const terms = order.flatMap(({ node, descending }) =>
    node.kind === "column" && node.path.source === source && node.path.steps.length === 0
      ? [{ column: node.column, descending }]
      : [],
  );
  if (terms.length < order.length) return "owner";
  // Ties are few: an engine sorts them by the key at the end, if it is not in the index.
  const telling = terms.slice(0, terms.length - terms.toReversed().findIndex(({ column }) => !column.isKey));
  const isByKey = terms.every(({ column }) => column.isKey);
  const wanted = isByKey ? terms : telling;
  if (found.some((parts) => isInOrder(parts.slice(owner.length), wanted))) return "sorted";
  // An index of more columns has other orders inside of an owner's part.
  return isByKey && found.some((parts) => parts.length === owner.length) ? "key" : "owner";
}
