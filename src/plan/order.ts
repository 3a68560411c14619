import {
  columnAt,
  isSameColumn,
  type JoinNode,
  type Node,
  type OrderNode,
  type Path,
  pathTo,
  type Source,
} from "../expression/index.js";

/** Rows of a source in an order: a query, or a set of related rows. */
export interface SortedRows {
  readonly source: Source;
  readonly orderBy: readonly OrderNode[];
  readonly joins?: readonly JoinNode[];
  readonly groupBy?: readonly Node[] | undefined;
}

/**
 * The order of a query made total: ties go by primary key, in the direction of the last order, so
 * that an index on that order can give both; those of groups by what they are grouped by.
 */
export function totalOrder({ source, orderBy, joins = [], groupBy }: SortedRows): readonly OrderNode[] {
  const descending = orderBy.at(-1)?.descending ?? false;
  const isSorted = (wanted: Node) => orderBy.some(({ node }) => node === wanted || isSameColumn(node, wanted));
  const keys = groupBy ?? [
    ...keyOf(pathTo(source)),
    ...joins.flatMap((join) => keyOf({ ...pathTo(join.source), mayBeMissing: join.kind === "left" })),
  ];
  const missing = keys.filter((key) => !isSorted(key));
  return [...orderBy, ...missing.map((node) => ({ node, descending }))];
}

const keyOf = (path: Path): readonly Node[] => path.entity.key.map((column) => columnAt(path, column));
