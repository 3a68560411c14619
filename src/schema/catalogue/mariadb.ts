import { tableKey } from "../../model/index.js";
import type { CatalogueReader } from "./reader.js";
import { actionOf, type FoundIndex, type FoundTable, foundColumn, foundTable, inMap, isTrue, textOr } from "./rows.js";

const statements = (schemas: string) => ({
  columns: `select nullif(c.table_schema, database()), c.table_name, t.table_type, t.table_comment, c.column_name, c.column_type, c.is_nullable, c.column_default, c.extra, c.collation_name, c.column_comment, c.generation_expression, t.table_collation
from information_schema.columns as c join information_schema.tables as t on t.table_schema = c.table_schema and t.table_name = c.table_name where c.table_schema in (${schemas}) order by c.table_schema, c.table_name, c.ordinal_position`,
  indexes: `select nullif(table_schema, database()), table_name, index_name, 1 - non_unique, column_name, collation, sub_part, index_type from information_schema.statistics where table_schema in (${schemas}) order by table_schema, table_name, index_name, seq_in_index`,
  keys: `select nullif(k.table_schema, database()), k.table_name, k.constraint_name, k.column_name, nullif(k.referenced_table_schema, database()), k.referenced_table_name, k.referenced_column_name, r.delete_rule, r.update_rule
from information_schema.key_column_usage as k join information_schema.referential_constraints as r on r.constraint_schema = k.constraint_schema and r.constraint_name = k.constraint_name and r.table_name = k.table_name
where k.table_schema in (${schemas}) order by k.table_schema, k.table_name, k.constraint_name, k.ordinal_position`,
  checks: `select nullif(constraint_schema, database()), table_name, constraint_name, level, check_clause from information_schema.check_constraints where constraint_schema in (${schemas}) order by constraint_schema, table_name, constraint_name`,
});

/** What a column's definition says besides: it goes where the definition is written anew without it. */
/** A text where nothing but a literal may stand, as the driver's own sql_mode reads it. */
const commentText = (text: string): string => `'${text.replaceAll(/['\\]/g, "$&$&")}'`;

function furtherOf(extra: string, comment: string | undefined): string | undefined {
  const update = /on update [^,]+/i.exec(extra)?.[0];
  const parts = [update, comment === undefined ? undefined : `comment ${commentText(comment)}`].filter(
    (part) => part !== undefined,
  );
  return parts.length === 0 ? undefined : parts.join(" ");
}

/** The catalogue of MariaDB. */
export const readMariadbCatalogue: CatalogueReader = async (ask, { text: { literal, quote } }, schemas) => {
  const named = schemas.map((name) => (name === undefined ? "database()" : literal(name, { kind: "text" })));
  const asked = statements(named.join(", "));
  const tables = new Map<string, FoundTable>();
  const keyOf = (schema: unknown, table: unknown): string => tableKey({ schema: textOr(schema), table: String(table) });

  for (const row of await ask(asked.columns)) {
    const [schema, table, kind, comment, name, type, nullable, defaultText, extra, collation, remark, computed, usual] =
      row;
    const found = inMap(tables, keyOf(schema, table), () => ({
      ...foundTable(textOr(schema), String(table), kind === "BASE TABLE" ? "table" : "view"),
      comment: kind === "BASE TABLE" ? textOr(comment) : undefined,
      collation: textOr(usual),
    }));
    const given = defaultText === "NULL" ? undefined : (textOr(defaultText) ?? undefined);
    const text = textOr(computed);
    found.columns.push({
      ...foundColumn(String(name), String(type)),
      isNullable: nullable === "YES",
      collation: textOr(collation),
      isCollated: collation !== null,
      default: text === undefined ? given : undefined,
      isIdentity: String(extra).includes("auto_increment"),
      computed: text === undefined ? undefined : { text, isStored: !String(extra).includes("VIRTUAL") },
      comment: textOr(remark),
      otherClauses: furtherOf(String(extra), textOr(remark)),
    });
  }
  const indexes = new Map<
    string,
    { readonly draft: FoundTable | undefined; readonly index: FoundIndex; isPlain: boolean }
  >();
  for (const [schema, table, name, isUnique, column, order, part, method] of await ask(asked.indexes)) {
    const found = tables.get(keyOf(schema, table));
    const one = inMap(indexes, JSON.stringify([schema, table, name]), () => ({
      draft: found,
      index: {
        ...{ name: String(name), parts: [], isUnique: isTrue(isUnique), condition: undefined },
        method: method === "BTREE" ? undefined : String(method).toLowerCase(),
      },
      isPlain: method === "BTREE",
    }));
    if (part !== null) one.isPlain = false;
    const length = part === null ? "" : `(${part})`;
    one.index.parts.push({
      ...{ column: textOr(column), descending: order === "D" },
      expression: part === null ? undefined : `${quote(String(column))}${length}`,
    });
  }
  for (const { draft: found, index, isPlain } of indexes.values()) {
    const columns = index.parts.map(({ column }) => column ?? "");
    if (found === undefined) continue;
    if (index.name === "PRIMARY") found.primaryKey = { name: undefined, columns };
    else {
      const parts = index.parts.map(
        ({ column, expression, descending }) => `${expression ?? quote(column ?? "")}${descending ? " desc" : ""}`,
      );
      const kind = index.isUnique
        ? "unique "
        : index.method === undefined || index.method === "hash"
          ? ""
          : `${index.method} `;
      const own = `create ${kind}index ${quote(index.name)} on ${quote(found.table)} (${parts.join(", ")})`;
      found.indexes.push(isPlain ? index : { ...index, own });
    }
  }
  for (const [schema, table, name, column, targetSchema, target, targetColumn, remove, update] of await ask(
    asked.keys,
  )) {
    const keys = tables.get(keyOf(schema, table))?.foreignKeys;
    const last = keys?.find((key) => key.name === name);
    if (last !== undefined) {
      (last.columns as string[]).push(String(column));
      (last.targetColumns as string[]).push(String(targetColumn));
    } else
      keys?.push({
        ...{ name: String(name), columns: [String(column)], targetColumns: [String(targetColumn)] },
        target: { schema: textOr(targetSchema), table: String(target) },
        onDelete: actionOf(remove),
        onUpdate: actionOf(update),
      });
  }
  for (const [schema, table, name, level, text] of await ask(asked.checks)) {
    const isOfColumn = level === "Column";
    tables.get(keyOf(schema, table))?.checks.push({
      ...{
        name: isOfColumn ? undefined : String(name),
        text: String(text),
        column: isOfColumn ? String(name) : undefined,
      },
    });
  }
  return [...tables.values()];
};
