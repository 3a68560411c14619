import { type TableReference, tableKey } from "../../model/index.js";
import type { Dialect } from "../../sql/index.js";
import type { Change } from "../compare/change.js";
import { only } from "./plan.js";
import { renamed } from "./renames.js";

/** The names of tables and columns before a migration renames them. */
export interface NamesBefore {
  readonly table: (of: TableReference) => TableReference;
  readonly column: (of: TableReference, name: string) => string;
  /** A text over the columns of a table. */
  readonly text: (of: TableReference, text: string) => string;
}

/** The names before the changes given. */
export function namesBefore(changes: readonly Change[], dialect: Dialect): NamesBefore {
  const tables = new Map(
    only(changes, "rename table").map(({ table, to }) => [tableKey({ schema: table.schema, table: to }), table]),
  );
  const columns = new Map<string, Map<string, string>>();
  for (const { table, column, to } of only(changes, "rename column"))
    columns.set(tableKey(table), (columns.get(tableKey(table)) ?? new Map()).set(to, column));
  const namesOf = (of: TableReference) => columns.get(tableKey(of)) ?? new Map<string, string>();
  return {
    table: (of) => tables.get(tableKey(of)) ?? of,
    column: (of, name) => namesOf(of).get(name) ?? name,
    text: (of, text) => (namesOf(of).size === 0 ? text : renamed(text, namesOf(of), dialect)),
  };
}
