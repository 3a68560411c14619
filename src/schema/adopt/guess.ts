import type { AnyDatabase } from "../../database/index.js";
import { tableKey } from "../../model/index.js";
import { connectionOf, sendOwn } from "../../run/index.js";
import { qualifiedTable, type TableLayout } from "../../sql/index.js";
import { typeForm } from "../compare/forms.js";
import { familyOf } from "../draft/conversion.js";
import { leadsTo, pluralOf, propertyName } from "./names.js";
import type { Lead } from "./relations.js";

/** A relation that no constraint backs: what speaks for it. */
export interface Guess extends Lead {
  readonly table: TableLayout;
  /** How many rows have such a key, and how many of these keys lead to a row. */
  readonly keys: number;
  readonly leading: number;
}

/** How many of a hundred keys lead to a row where names alone would not do. */
const leastShare = 0.9;

/**
 * Relations that names propose and rows bear out: a column called after a table, "depot_id" after "depot" or "depots",
 * whose values are of the type of its primary key and lead to its rows.
 */
export async function guessRelations(db: AnyDatabase, tables: readonly TableLayout[]): Promise<readonly Guess[]> {
  const { sender, dialect } = connectionOf(db, "adopt");
  const { quote } = dialect.text;
  const named = new Map<string, TableLayout>();
  for (const table of tables.filter(({ kind }) => kind === "table"))
    for (const name of [propertyName(table.table), pluralOf(propertyName(table.table))])
      if (!named.has(name)) named.set(name, table);
  const kindOf = (type: string) => familyOf(typeForm(type, dialect.name)) ?? typeForm(type, dialect.name);
  const guesses: Guess[] = [];
  for (const table of tables.filter(({ kind }) => kind === "table"))
    for (const { name, type } of table.columns) {
      if (table.foreignKeys.some(({ columns }) => columns.includes(name))) continue;
      const wanted = leadsTo(name);
      const target = wanted === undefined ? undefined : (named.get(wanted) ?? named.get(pluralOf(wanted)));
      const [key, ...more] = target?.primaryKey.columns ?? [];
      const keyType = target?.columns.find((column) => column.name === key)?.type;
      if (
        target === undefined ||
        key === undefined ||
        keyType === undefined ||
        more.length > 0 ||
        kindOf(type) !== kindOf(keyType)
      )
        continue;
      if (tableKey(target) === tableKey(table) && table.primaryKey.columns.includes(name)) continue;
      const text = `select count(*), count(target.${quote(key)}) from ${qualifiedTable(table, dialect)} as held left join ${qualifiedTable(target, dialect)} as target on target.${quote(key)} = held.${quote(name)} where held.${quote(name)} is not null`;
      const [row] = await sendOwn(sender, text, "how many keys lead to a row");
      const [keys, leading] = [Number(row?.[0]), Number(row?.[1])];
      if (keys > 0 && leading / keys < leastShare) continue;
      guesses.push({
        ...{ table, keys, leading, isGuess: true },
        key: {
          ...{
            name: undefined,
            columns: [name],
            target: { schema: target.schema, table: target.table },
            targetColumns: [key],
          },
          ...{ onDelete: "no action", onUpdate: "no action" },
        },
      });
    }
  return guesses;
}
