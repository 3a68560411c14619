import { tableKey } from "../../model/index.js";
import type { CatalogueReader } from "./reader.js";
import { actionOf, type FoundIndex, type FoundTable, foundColumn, foundTable, inMap, isTrue, textOr } from "./rows.js";

const schemaOf = "nullif(n.nspname, current_schema())::text";

const statements = (schemas: string) => ({
  columns: `select ${schemaOf}, c.relname::text, c.relkind::text, obj_description(c.oid, 'pg_class'), a.attname::text, format_type(a.atttypid, a.atttypmod) || repeat('[]', greatest(a.attndims - 1, 0)), a.attnotnull::int::text, pg_get_expr(d.adbin, d.adrelid), a.attidentity::text, a.attgenerated::text, l.collname::text, col_description(c.oid, a.attnum), (select json_agg(e.enumlabel order by e.enumsortorder)::text from pg_enum as e where e.enumtypid = a.atttypid)
from pg_class as c join pg_namespace as n on n.oid = c.relnamespace join pg_attribute as a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped
left join pg_attrdef as d on d.adrelid = c.oid and d.adnum = a.attnum left join pg_collation as l on l.oid = a.attcollation and right(format_type(a.atttypid, null), 2) <> '[]'
where c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition and n.nspname in (${schemas}) order by 1, 2, a.attnum`,
  constraints: `select ${schemaOf}, c.relname::text, k.conname::text, k.contype::text, array_to_json(array(select a.attname::text from unnest(k.conkey) with ordinality as u (number, at) join pg_attribute as a on a.attrelid = c.oid and a.attnum = u.number order by u.at))::text, nullif(fn.nspname, current_schema())::text, f.relname::text, array_to_json(array(select a.attname::text from unnest(k.confkey) with ordinality as u (number, at) join pg_attribute as a on a.attrelid = f.oid and a.attnum = u.number order by u.at))::text, k.confdeltype::text, k.confupdtype::text, pg_get_expr(k.conbin, k.conrelid), case when k.condeferrable then 'deferrable' || case when k.condeferred then ' initially deferred' else '' end end
from pg_constraint as k join pg_class as c on c.oid = k.conrelid join pg_namespace as n on n.oid = c.relnamespace left join pg_class as f on f.oid = k.confrelid left join pg_namespace as fn on fn.oid = f.relnamespace
where k.contype in ('p', 'u', 'f', 'c') and not c.relispartition and n.nspname in (${schemas}) order by 1, 2, k.oid`,
  indexes: `select ${schemaOf}, c.relname::text, x.relname::text, i.indisunique::int::text, m.amname::text, pg_get_expr(i.indpred, i.indrelid), a.attname::text, (k.sorting & 1)::text,
  (k.number <> 0 and m.amname = 'btree' and i.indnatts = i.indnkeyatts and o.opcdefault and k.sorting in (0, 3) and k.compared in (0, a.attcollation))::int::text, pg_get_indexdef(i.indexrelid)
from pg_index as i join pg_class as c on c.oid = i.indrelid join pg_class as x on x.oid = i.indexrelid join pg_namespace as n on n.oid = c.relnamespace join pg_am as m on m.oid = x.relam
cross join lateral unnest(i.indkey::smallint[], i.indoption::smallint[], i.indclass::oid[], i.indcollation::oid[]) with ordinality as k (number, sorting, class, compared, at)
left join pg_attribute as a on a.attrelid = c.oid and a.attnum = k.number and k.number > 0 left join pg_opclass as o on o.oid = k.class
where not c.relispartition and n.nspname in (${schemas}) and not exists (select 1 from pg_constraint as b where b.conindid = i.indexrelid and b.contype in ('p', 'u', 'x')) order by 1, 2, x.relname, k.at`,
});

const actions: Readonly<Record<string, string>> = {
  a: "no action",
  r: "restrict",
  c: "cascade",
  n: "set null",
  d: "set default",
};

const listIn = (text: unknown): readonly string[] => JSON.parse(String(text)) as readonly string[];

/** The catalogue of PostgreSQL. */
export const readPostgresCatalogue: CatalogueReader = async (ask, { text: { literal } }, schemas) => {
  const named = schemas.map((name) => (name === undefined ? "current_schema()" : literal(name, { kind: "text" })));
  const asked = statements(named.join(", "));
  const tables = new Map<string, FoundTable>();
  const keyOf = (schema: unknown, table: unknown): string => tableKey({ schema: textOr(schema), table: String(table) });

  for (const row of await ask(asked.columns)) {
    const [
      schema,
      table,
      kind,
      comment,
      name,
      type,
      notNull,
      defaultText,
      identity,
      generated,
      collation,
      remark,
      choices,
    ] = row;
    const draft = inMap(tables, keyOf(schema, table), () => ({
      ...foundTable(textOr(schema), String(table), kind === "v" || kind === "m" ? "view" : "table"),
      comment: textOr(comment),
    }));
    const text = textOr(defaultText);
    draft.columns.push({
      ...foundColumn(String(name), String(type)),
      isNullable: !isTrue(notNull),
      collation: textOr(collation),
      default: textOr(generated) === undefined ? text : undefined,
      // A number out of a sequence of the column's own: in SQL's words, or in those of PostgreSQL before it had them.
      isIdentity: textOr(identity) !== undefined || text?.startsWith("nextval(") === true,
      computed: textOr(generated) === undefined ? undefined : { text: text ?? "", isStored: generated === "s" },
      comment: textOr(remark),
      choices: choices === null ? undefined : listIn(choices),
    });
  }
  for (const row of await ask(asked.constraints)) {
    const [schema, table, name, kind, columns, targetSchema, target, targetColumns, remove, update, rule, others] = row;
    const found = tables.get(keyOf(schema, table));
    const key = { name: String(name), columns: listIn(columns) };
    if (kind === "p" && found !== undefined) found.primaryKey = key;
    if (kind === "u") found?.uniques.push(key);
    if (kind === "c") found?.checks.push({ name: key.name, text: String(rule), column: undefined });
    if (kind === "f")
      found?.foreignKeys.push({
        ...key,
        target: { schema: textOr(targetSchema), table: String(target) },
        targetColumns: listIn(targetColumns),
        onDelete: actionOf(actions[String(remove)]),
        onUpdate: actionOf(actions[String(update)]),
        otherClauses: textOr(others),
      });
  }
  const indexes = new Map<
    string,
    { readonly draft: FoundTable | undefined; readonly index: FoundIndex; isPlain: boolean; readonly own: string }
  >();
  for (const [schema, table, name, isUnique, method, condition, column, descending, isPlain, own] of await ask(
    asked.indexes,
  )) {
    const one = inMap(indexes, JSON.stringify([schema, name]), () => ({
      draft: tables.get(keyOf(schema, table)),
      index: {
        ...{ name: String(name), parts: [], isUnique: isTrue(isUnique), condition: textOr(condition) },
        method: method === "btree" ? undefined : String(method),
      },
      ...{ isPlain: true, own: String(own) },
    }));
    one.isPlain &&= isTrue(isPlain);
    one.index.parts.push({ column: textOr(column), expression: undefined, descending: isTrue(descending) });
  }
  for (const { draft: found, index, isPlain, own } of indexes.values())
    found?.indexes.push(isPlain ? index : { ...index, own });
  return [...tables.values()];
};
