import { createText, type Dialect, type TableLayout } from "../../sql/index.js";
import { escaped, sqlRemark } from "../../written/index.js";
import { tableLabel } from "../compare/change.js";
import { isForeign } from "../compare/forms.js";
import { remarks } from "../migrations/migration.js";
import { createOrder } from "./plan.js";

/**
 * The text of a migration that makes the tables which a database has already, for machines that begin with nothing;
 * where they are there, it is only written down. Views, and what tables do not say of themselves, are not in it.
 */
export function startText(tables: readonly TableLayout[], dialect: Dialect): string {
  const own = tables.filter(({ kind }) => kind === "table");
  const ordered = createOrder(own, () => false);
  const statements = createText(
    ordered.map(({ table, deferredKeys }) => ({
      // An index that a key has of its own comes with the key.
      table: {
        ...table,
        indexes: table.indexes.filter((index) => !(isForeign(index, dialect.name) && index.own === undefined)),
      },
      deferredKeys,
    })),
    dialect.definition.rules,
    dialect,
  );
  const triggers = own.flatMap((table) => table.triggers ?? []);
  const views = tables.filter(({ kind }) => kind === "view").map(tableLabel);
  const head = [
    "-- What was there before the first migration.",
    `${remarks.start} ${escaped(JSON.stringify(own.map(({ schema, table }) => (schema === undefined ? table : [schema, table]))))}`,
    ...(views.length === 0 ? [] : [sqlRemark(`views that are not in it: ${views.join(", ")}`)]),
  ];
  return `${head.join("\n")}\n\n${[...statements, ...triggers].map((one) => `${one};\n`).join("\n")}`;
}
