import type { ValueType } from "../../../columns/index.js";
import { quotedText, standardConflict } from "../../print/parts.js";
import type { TextRules, WriteRules } from "../dialect.js";
import { inForm, storedIn } from "../stored.js";
import { castType } from "./types.js";

/**
 * Rows that bring their own identity leave the sequence behind, so that it would hand out the same
 * numbers again: PostgreSQL alone does not move it by itself. It is moved in the same statement,
 * forward only.
 */
const advancing = (insert: string, table: string, identity: string, { quote }: TextRules): string =>
  `with added as (${insert} returning ${quote(identity)}), ` +
  `counter as (select pg_get_serial_sequence(${quotedText(table)}, ${quotedText(identity)}) as name, max(${quote(identity)}) as last from added) ` +
  `select setval(name, last) from counter where last > nextval(name)`;

/**
 * A select of columns that are given as arrays. An array of arrays would be unnested as a whole: a column's lists travel as
 * texts, and so does what is yet to be made a value.
 */
function selectOfArrays(types: readonly ValueType[], isNamed: boolean): string {
  const forms = types.map((type) => storedIn(type, "postgres")?.write);
  const isText = types.map(({ kind }, i) => kind === "list" || forms[i] !== undefined);
  const arrays = types.map((type, i) => `$${i + 1}::${isText[i] ? "text" : castType(type)}[]`).join(", ");
  const names = types.map((_, i) => `part_${i + 1}`);
  if (!isText.includes(true))
    return `select * from unnest(${arrays})${isNamed ? ` as given (${names.join(", ")})` : ""}`;
  const parts = types.map((type, i) => {
    const name = names[i] as string;
    const made = forms[i] !== undefined ? inForm(forms[i], name) : isText[i] ? `${name}::${castType(type)}` : name;
    return isNamed && made !== name ? `${made} as ${name}` : made;
  });
  return `select ${parts.join(", ")} from unnest(${arrays}) as given (${names.join(", ")})`;
}

/** How PostgreSQL takes rows: each column as an array. */
export const postgresWrites = (text: TextRules): WriteRules => ({
  emptyRow: "default values",
  insertArrays: (into, types) => `${into} ${selectOfArrays(types, false)}`,
  advancing: (insert, table, identity) => advancing(insert, table, identity, text),
  rowsOfArrays: (types) => selectOfArrays(types, true),
  advance: (table, identity, last) => {
    const known = last === undefined ? `(select max(${text.quote(identity)}) from ${table})` : "$1::bigint";
    return [
      {
        text: `select setval(name, last) from (select pg_get_serial_sequence(${quotedText(table)}, ${quotedText(identity)}) as name, ${known} as last) as counter where last > nextval(name)`,
        parameters: last === undefined ? [] : [last],
      },
    ];
  },
  portions: { rows: [], mostParameters: 65_535, mostBytes: 100_000_000, takesDefault: true },
  onConflict: standardConflict,
  isJoined: false,
  proposed: (column) => `excluded.${column}`,
});
