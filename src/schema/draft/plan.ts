import { dependencyOrder, tableKey } from "../../model/index.js";
import type { ForeignKeyLayout, TableLayout } from "../../sql/index.js";
import type { Change } from "../compare/change.js";

/** A change of one kind. */
export type Of<K extends Change["kind"]> = Extract<Change, { readonly kind: K }>;

/** The changes of some kinds. */
export const only = <K extends Change["kind"]>(changes: readonly Change[], ...kinds: readonly K[]): readonly Of<K>[] =>
  changes.filter((change): change is Of<K> => (kinds as readonly string[]).includes(change.kind));

/** From what to what: tables, and the changes between them; what is renamed has its new name in both. */
export interface Transition {
  readonly found: readonly TableLayout[];
  readonly wanted: readonly TableLayout[];
  readonly changes: readonly Change[];
}

const byKey = (tables: readonly TableLayout[]): ReadonlyMap<string, TableLayout> =>
  new Map(tables.map((table) => [tableKey(table), table]));

/** Tables in the order in which they can be created, each with those of its foreign keys that have to wait. */
export function createOrder(tables: readonly TableLayout[], isLate: (key: ForeignKeyLayout) => boolean) {
  const known = byKey(tables);
  const targetOf = ({ target }: ForeignKeyLayout) => known.get(tableKey(target));
  const ordered = dependencyOrder(tables, ({ foreignKeys }) =>
    foreignKeys.map(targetOf).filter((one) => one !== undefined),
  );
  return ordered.map(({ item: table, deferred }) => ({
    table,
    deferredKeys: table.foreignKeys.filter((key) => isLate(key) || deferred.some((other) => other === targetOf(key))),
  }));
}

/** Tables in the order in which they can be dropped, each with those of its foreign keys that have to go before. */
export const dropOrder = (tables: readonly TableLayout[]) => [...createOrder(tables, () => false)].reverse();

/**
 * Foreign keys that must not be there while others change: those whose columns change, here or there, and those that
 * lead to a key that goes. They come back at the end.
 */
export function conflictingKeys({ found, wanted, changes }: Transition): readonly {
  readonly table: TableLayout;
  readonly drop: ForeignKeyLayout;
  readonly add: ForeignKeyLayout;
}[] {
  const touched = new Set<string>();
  const touch = (key: string, columns: readonly string[]): void => {
    for (const column of columns) touched.add(`${key} ${column}`);
  };
  for (const change of changes) {
    const key = tableKey(change.table);
    if (change.kind === "change column" && change.facts.some((fact) => fact !== "default" && fact !== "null"))
      touch(key, [change.to.name]);
    if (change.kind === "drop column") touch(key, [change.column.name]);
    if (change.kind === "drop primary key" || change.kind === "drop unique") touch(key, change.key.columns);
    if (change.kind === "drop index" && change.index.isUnique)
      touch(
        key,
        change.index.parts.map(({ column }) => column ?? ""),
      );
  }
  const dropped = new Set(only(changes, "drop foreign key").map(({ key }) => key));
  const after = byKey(wanted);
  return found.flatMap((table) =>
    table.foreignKeys.flatMap((drop) => {
      const own = drop.columns.some((column) => touched.has(`${tableKey(table)} ${column}`));
      const theirs = drop.targetColumns.some((column) => touched.has(`${tableKey(drop.target)} ${column}`));
      const columns = JSON.stringify(drop.columns);
      const add = after
        .get(tableKey(table))
        ?.foreignKeys.find(
          (key) => JSON.stringify(key.columns) === columns && tableKey(key.target) === tableKey(drop.target),
        );
      return (own || theirs) && !dropped.has(drop) && add !== undefined
        ? [{ table, drop, add: { ...add, name: drop.name ?? add.name } }]
        : [];
    }),
  );
}
