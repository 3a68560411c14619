import { GemachError } from "../../../errors/index.js";
import type { IndexDescription } from "../../../model/index.js";
import { choiceCheck, type TableRules } from "../../definition/table-rules.js";
import type { DefinitionRules } from "../dialect.js";
import { quotedText } from "./text.js";
import { columnType } from "./types.js";

/**
 * An index cannot be of some rows only. One of all rows serves as well, unless it is to keep only some of them unique.
 */
function ofAllRows(index: IndexDescription, entity: string): IndexDescription {
  if (index.conditions.length === 0) return index;
  if (index.isUnique) throw new GemachError("INDEX_UNABLE", { entity, engine: "MariaDB" });
  return { ...index, conditions: [] };
}

const rules: TableRules = {
  identity: (type) => `${type} auto_increment`,
  columnType,
  // The table's own collation goes by code point.
  collation: (given) => given?.mariadb,
  check: ({ type: { kind, choices } }, name) => {
    if (choices !== undefined) return choiceCheck(name, choices, quotedText);
    // The server's own check refuses documents of more than 32 levels (10.11).
    return kind === "list" ? `json_valid(${name})` : undefined;
  },
  isByItself: false,
  index: ofAllRows,
  settings: " engine = InnoDB default character set utf8mb4 collate utf8mb4_nopad_bin",
};

/** How MariaDB defines tables. */
export const mariadbDefinition: DefinitionRules = {
  rules,
  tablesQuery: "select nullif(table_schema, database()), table_name from information_schema.tables",
};
