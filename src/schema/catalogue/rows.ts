import type { ForeignKeyAction } from "../../model/index.js";
import type { ColumnLayout, IndexLayout, IndexPartLayout, TableLayout } from "../../sql/index.js";

/** A table that is being read, one part after the other. */
export type FoundTable = {
  -readonly [P in keyof TableLayout]: TableLayout[P] extends readonly (infer T)[] ? T[] : TableLayout[P];
};

/** An index that is being read. */
export type FoundIndex = Omit<IndexLayout, "parts"> & { readonly parts: IndexPartLayout[] };

/** A table of which only the name is known yet. */
export const foundTable = (schema: string | undefined, table: string, kind: TableLayout["kind"]): FoundTable => ({
  ...{ schema, table, kind, entity: undefined, comment: undefined },
  ...{ columns: [], foreignKeys: [], uniques: [], indexes: [], checks: [] },
  primaryKey: { name: undefined, columns: [] },
});

/** A column of which only the name is known yet. */
export const foundColumn = (name: string, type: string): ColumnLayout => ({
  ...{ name, type, collation: undefined, isCollated: true, isNullable: true, default: undefined, isIdentity: false },
  ...{ computed: undefined, unknown: undefined, comment: undefined },
});

/** A value of the wire as text; undefined where there is none, or it is empty. */
export const textOr = (value: unknown): string | undefined =>
  value === null || value === undefined || value === "" ? undefined : String(value);

/** Whether a value of the wire says so. */
export const isTrue = (value: unknown): boolean => value === true || value === "t" || Number(value) === 1;

/** One of a map, made where it is missing. */
export function inMap<K, V>(map: Map<K, V>, key: K, make: () => V): V {
  const found = map.get(key);
  if (found !== undefined) return found;
  const made = make();
  map.set(key, made);
  return made;
}

/** Returns the action of a foreign key, in the words of SQL. */
export const actionOf = (word: unknown): ForeignKeyAction => String(word).toLowerCase() as ForeignKeyAction;
