import { GemachError } from "../errors/index.js";
import {
  columnAt,
  isSameColumn,
  type JoinNode,
  labelOf,
  type Node,
  nodeText,
  type OrderNode,
  type Path,
  partsOf,
  pathTo,
  type Source,
  setIn,
} from "../ir/index.js";

/** Rows of a source in an order: a query, or a set of related rows. */
export interface SortedRows {
  readonly source: Source;
  readonly orderBy: readonly OrderNode[];
  readonly joins?: readonly JoinNode[];
  readonly groupBy?: readonly Node[] | undefined;
}

/** Gives sources names that tell them apart. */
function sourceNames(): (source: Source) => string {
  const known = new Map<Source, string>();
  return (source) => {
    const name = known.get(source) ?? `${known.size}`;
    known.set(source, name);
    return name;
  };
}

/** Whether the value of a column is the same in all rows of a group, since the key of its row is. */
function isOfKey({ path }: Extract<Node, { kind: "column" }>, keys: readonly Node[]): boolean {
  const own = keyOf(path);
  return own.length > 0 && own.every((part) => keys.some((key) => isSameColumn(key, part)));
}

/**
 * What groups are sorted by, in terms of what they have in common.
 * @throws GemachError `ORDER_UNFIT` where it differs from row to row
 */
function ofGroups({ source, orderBy }: SortedRows, keys: readonly Node[]): readonly OrderNode[] {
  const named = sourceNames();
  const texts = new Map(keys.map((key) => [nodeText(key, named), key]));
  const check = (node: Node): void => {
    if (node.kind === "group" || node.kind === "window" || texts.has(nodeText(node, named))) return;
    if (node.kind === "column" && !isOfKey(node, keys))
      throw new GemachError("ORDER_UNFIT", { entity: source.entity.name, by: labelOf(node) });
    if (setIn(node) === undefined) for (const part of partsOf(node)) check(part);
  };
  return orderBy.map((term) => {
    check(term.node);
    return { ...term, node: texts.get(nodeText(term.node, named)) ?? term.node };
  });
}

/**
 * The order of a query made total: ties go by primary key, in the direction of the last order, so
 * that an index on that order can give both; those of groups by what they are grouped by.
 */
export function totalOrder(rows: SortedRows): readonly OrderNode[] {
  const { source, joins = [], groupBy } = rows;
  const orderBy = groupBy === undefined || rows.orderBy.length === 0 ? rows.orderBy : ofGroups(rows, groupBy);
  const descending = orderBy.at(-1)?.descending ?? false;
  const isSorted = (wanted: Node) => orderBy.some(({ node }) => node === wanted || isSameColumn(node, wanted));
  const keys = groupBy ?? [
    ...keyOf(pathTo(source)),
    ...joins.flatMap((join) => keyOf({ ...pathTo(join.source), mayBeMissing: join.kind === "left" })),
  ];
  const missing = keys.filter((key) => !isSorted(key));
  if (missing.length > 0 || keys.length === 0) return [...orderBy, ...missing.map((node) => ({ node, descending }))];
  // What comes after all that tells the rows apart decides nothing.
  const isKey = (node: Node) => keys.some((key) => node === key || isSameColumn(node, key));
  const last = orderBy.reduce((at, { node }, i) => (isKey(node) && !isBefore(orderBy, node, i) ? i : at), -1);
  return orderBy.slice(0, last + 1);
}

/** Whether an order has been said before. */
const isBefore = (orderBy: readonly OrderNode[], node: Node, at: number): boolean =>
  orderBy.slice(0, at).some((term) => isSameColumn(term.node, node));

const keyOf = (path: Path): readonly Node[] => path.entity.key.map((column) => columnAt(path, column));
