/** Something in its place in an order, and what it refers to that comes only after it. */
export interface Ordered<T> {
  readonly item: T;
  readonly deferred: readonly T[];
}

/**
 * Things that refer to each other, each after those that it refers to, as far as they go in no circle: the order in
 * which tables are created and rows are written.
 */
export function dependencyOrder<T>(items: readonly T[], refersTo: (item: T) => readonly T[]): readonly Ordered<T>[] {
  const ordered: Ordered<T>[] = [];
  const done = new Set<T>();
  const open = new Set<T>();
  const visit = (item: T): void => {
    if (open.has(item) || done.has(item)) return;
    open.add(item);
    const others = refersTo(item).filter((other) => other !== item);
    for (const other of others) visit(other);
    open.delete(item);
    ordered.push({ item, deferred: others.filter((other) => !done.has(other)) });
    done.add(item);
  };
  for (const item of items) visit(item);
  return ordered;
}
