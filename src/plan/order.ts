import { columnAt, type OrderNode, pathTo, type QueryState } from "../query/index.js";

/**
 * The order of a query made total: ties go by primary key, in the direction of the last order, so
 * that an index on that order can give both.
 */
export function totalOrder({ source, orderBy }: QueryState): readonly OrderNode[] {
  const descending = orderBy.at(-1)?.descending ?? false;
  const sorted = new Set(
    orderBy.flatMap(({ node }) =>
      node.kind === "column" && node.path.source === source && node.path.steps.length === 0 ? [node.column] : [],
    ),
  );
  const missing = source.entity.key.filter((column) => !sorted.has(column));
  return [...orderBy, ...missing.map((column) => ({ node: columnAt(pathTo(source), column), descending }))];
}
