import type { ResolvedColumn, ResolvedEntity, Step } from "../ir/index.js";

/** A column of an index, and its direction. */
export interface IndexPart {
  readonly column: ResolvedColumn;
  readonly descending: boolean;
}

export const ascending = (columns: readonly ResolvedColumn[]): readonly IndexPart[] =>
  columns.map((column) => ({ column, descending: false }));

/** Foreign keys stand where the key's columns are: at the entity that holds it. */
export const heldKeys = ({ relations }: ResolvedEntity): readonly Step[] =>
  [...relations.values()].flatMap(({ steps }) =>
    steps.length === 1 && steps[0].holder === "source" ? [steps[0]] : [],
  );

/**
 * Every index that a table of the model is sure to have, of all of its rows: of its key, of what is unique, the model's
 * own, and of keys of other entities that none of those begins with.
 */
export function indexesIn(entity: ResolvedEntity): readonly (readonly IndexPart[])[] {
  const unique = [...entity.columns.values()].filter((column) => column.isUnique);
  const named = [
    ascending(entity.key),
    ...unique.map((column) => ascending([column])),
    ...entity.indexes.filter(({ conditions }) => conditions.length === 0).map(({ parts }) => parts),
  ];
  const keys = heldKeys(entity).flatMap(({ isBacked, isIndexed, pairs }) => {
    const columns = pairs.map(({ from }) => from);
    const isServed = named.some((parts) => columns.every((column, i) => parts[i]?.column === column));
    return isBacked && isIndexed && !isServed ? [ascending(columns)] : [];
  });
  return [...named, ...keys];
}
