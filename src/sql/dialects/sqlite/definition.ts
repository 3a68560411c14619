import { choiceCheck, type TableRules } from "../../definition/table-rules.js";
import { quotedText } from "../../print/parts.js";
import type { DefinitionRules } from "../dialect.js";
import { storedIn } from "../stored.js";
import { columnTypes } from "./types.js";

const rules: TableRules = {
  // The row's own number, which an "integer primary key" is (sqlite.org/lang_createtable.html#rowid).
  identity: () => "integer",
  columnType: (type) => storedIn(type, "sqlite")?.type ?? columnTypes[type.kind],
  collation: (given) => given?.sqlite,
  check: ({ type }, name) => {
    if (type.choices !== undefined) return choiceCheck(name, type.choices, quotedText);
    if (type.kind === "varchar") return `length(${name}) <= ${type.length}`;
    return type.kind === "json" ? `json_valid(${name})` : undefined;
  },
  // Within one schema: an index is named with it, and neither its table nor a foreign key leads to another.
  isByItself: true,
  settings: "",
};

/**
 * How SQLite defines tables. A schema is a file that the caller attached; a foreign key may lead to a table to come.
 */
export const sqliteDefinition: DefinitionRules = {
  rules,
  tablesQuery: "select nullif(schema, 'main'), name from pragma_table_list",
};
