import type { IndexDescription, TableInOrder, TableReference } from "../../model/index.js";
import type { Dialect } from "../dialects/dialect.js";
import { indexLayout, layOut } from "./layout.js";
import { createText, indexText, type LayoutInOrder } from "./table-text.js";

/** A model's tables as an engine is to have them, in the order of creation. */
export const layOutAll = (tables: readonly TableInOrder[], dialect: Dialect): readonly LayoutInOrder[] =>
  tables.map(({ table: described, deferredKeys }) => {
    const table = layOut(described, dialect.definition.rules, dialect);
    const deferred = new Set(deferredKeys.map((key) => described.foreignKeys.indexOf(key)));
    return { table, deferredKeys: table.foreignKeys.filter((_, i) => deferred.has(i)) };
  });

/** The statements that create a model's tables where there are none, each after those that it refers to. */
export const createModelText = (tables: readonly TableInOrder[], dialect: Dialect): readonly string[] =>
  createText(layOutAll(tables, dialect), dialect.definition.rules, dialect, "if not exists ");

/** The statement that creates one index of an entity's table. */
export const createIndexText = (table: TableReference, index: IndexDescription, dialect: Dialect): string => {
  const { rules } = dialect.definition;
  return indexText(table, indexLayout(index, table.table, rules, dialect), rules, dialect);
};
