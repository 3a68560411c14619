import { objectName } from "../../model/index.js";
import type { KeyLayout, TableLayout } from "../../sql/index.js";
import type { Change } from "../compare/change.js";

/**
 * Tables whose constraints all have names, so that a later step, or what undoes this one, can call them by these: what a
 * constraint is of in words, as engines name them themselves. Only a primary key keeps what the engine calls it.
 */
export const named = (tables: readonly TableLayout[]): readonly TableLayout[] => {
  // MariaDB wants names of foreign keys that no other of the database has.
  const takenKeys = new Set<string>();
  return tables.map((layout) => {
    const { table, foreignKeys, uniques, checks, indexes } = layout;
    const taken = new Set(indexes.map(({ name }) => name.toLowerCase()));
    const own = <K extends KeyLayout>(key: K, end: string, among: Set<string>): K =>
      key.name === undefined
        ? { ...key, name: objectName([table, ...key.columns, end].join("_"), undefined, among) }
        : key;
    return {
      ...layout,
      foreignKeys: foreignKeys.map((key) => own(key, "fkey", takenKeys)),
      uniques: uniques.map((key) => own(key, "key", taken)),
      checks: checks.map((check) => ({
        ...check,
        name: check.name ?? objectName(`${table}_${check.column}_check`, undefined, taken),
        column: undefined,
      })),
    };
  });
};

/** The names in use in tables, but for what changes drop: one set for all, since some engines want them to differ among tables. */
function namesLeft(found: readonly TableLayout[], changes: readonly Change[]): Set<string> {
  const gone = new Set<unknown>(
    changes
      .filter(({ kind }) => kind.startsWith("drop"))
      .flatMap((change) =>
        change.kind === "drop table"
          ? [...change.table.indexes, ...change.table.foreignKeys, ...change.table.uniques, ...change.table.checks]
          : Object.values(change),
      ),
  );
  const all = found.flatMap(({ indexes, foreignKeys, uniques, checks }) => [
    ...indexes,
    ...foreignKeys,
    ...uniques,
    ...checks,
  ]);
  return new Set(all.flatMap((one) => (gone.has(one) || one.name === undefined ? [] : [one.name.toLowerCase()])));
}

/** Changes in which what is added has no name that something has which stays. */
export function withFreeNames(found: readonly TableLayout[], changes: readonly Change[]): readonly Change[] {
  const taken = namesLeft(found, changes);
  const free = <T extends { readonly name: string | undefined }>(one: T): T =>
    one.name === undefined || !taken.has(one.name.toLowerCase())
      ? one
      : { ...one, name: objectName(one.name, JSON.stringify(one), taken) };
  return changes.map((change): Change => {
    switch (change.kind) {
      case "create table": {
        const { indexes, foreignKeys, uniques, checks } = change.table;
        const own = {
          indexes: indexes.map(free),
          foreignKeys: foreignKeys.map(free),
          uniques: uniques.map(free),
          checks: checks.map(free),
        };
        return { ...change, table: { ...change.table, ...own } };
      }
      case "create index":
        return { ...change, index: free(change.index) };
      case "add unique":
        return { ...change, key: free(change.key) };
      case "add foreign key":
        return { ...change, key: free(change.key) };
      case "add check":
        return { ...change, check: free(change.check) };
      default:
        return change;
    }
  });
}
