import { tableKey } from "../../model/index.js";
import type { Dialect, IndexLayout, TableLayout } from "../../sql/index.js";
import { indexForm, isForeign } from "../compare/forms.js";

/** Indexes that stay although no model asks for them: those for which it has no words. */
function ownIndexes(found: TableLayout, wanted: TableLayout, { name }: Dialect): readonly IndexLayout[] {
  const names = new Set(wanted.indexes.map((index) => index.name));
  const forms = new Set(wanted.indexes.map((index) => indexForm(index, name)));
  const unordered = new Set(
    wanted.columns.filter(({ isIndexable }) => isIndexable === false).map((column) => column.name),
  );
  return found.indexes.filter((index) => {
    if (names.has(index.name)) return false;
    const isUnsaid = index.parts.some(({ column }) => column !== undefined && unordered.has(column));
    return isForeign(index, name) || (isUnsaid && !forms.has(indexForm(index, name)));
  });
}

/**
 * Tables as they are to be, with what those that are there have beyond what a model says: what stands behind their
 * columns, triggers, indexes for which it has no words. It stays when a table is made anew, and is there when that is
 * undone.
 */
export function keepingOwn(
  wanted: readonly TableLayout[],
  found: readonly TableLayout[],
  dialect: Dialect,
): readonly TableLayout[] {
  const before = new Map(found.map((table) => [tableKey(table), table]));
  return wanted.map((table) => {
    const there = before.get(tableKey(table));
    if (there === undefined) return table;
    const { settings, collation, triggers } = there;
    const clausesOf = (name: string) => there.columns.find((column) => column.name === name)?.otherClauses;
    return {
      ...table,
      ...{ settings, collation, triggers },
      columns: table.columns.map((column) => ({
        ...column,
        otherClauses: column.otherClauses ?? clausesOf(column.name),
      })),
      indexes: [...table.indexes, ...ownIndexes(there, table, dialect)],
    };
  });
}
