import { columnAt, type OrderNode, pathTo, type Source } from "../expression/index.js";

/** Rows of a source in an order: a query, or a set of related rows. */
interface Ordered {
  readonly source: Source;
  readonly orderBy: readonly OrderNode[];
}

/**
 * The order of a query made total: ties go by primary key, in the direction of the last order, so
 * that an index on that order can give both.
 */
export function totalOrder({ source, orderBy }: Ordered): readonly OrderNode[] {
  const descending = orderBy.at(-1)?.descending ?? false;
  const sorted = new Set(
    orderBy.flatMap(({ node }) =>
      node.kind === "column" && node.path.source === source && node.path.steps.length === 0 ? [node.column] : [],
    ),
  );
  const missing = source.entity.key.filter((column) => !sorted.has(column));
  return [...orderBy, ...missing.map((column) => ({ node: columnAt(pathTo(source), column), descending }))];
}
