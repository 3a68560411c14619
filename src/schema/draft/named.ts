import { objectName, tableKey } from "../../model/index.js";
import type { CheckLayout, Dialect, ForeignKeyLayout, IndexLayout, KeyLayout, TableLayout } from "../../sql/index.js";
import { foreignKeyForm, indexForm, takingFrom } from "../compare/forms.js";
import { expressionForm } from "../text/expression-form.js";

/** What has a name in a table. */
type Named = { readonly name: string | undefined };

/** What tells things with names apart, whatever these are. */
interface Forms {
  readonly check: (check: CheckLayout) => string;
  readonly unique: (key: KeyLayout) => string;
  readonly foreignKey: (key: ForeignKeyLayout) => string;
  readonly index: (index: IndexLayout) => string;
}

const formsOf = ({ name }: Dialect): Forms => ({
  check: ({ text }) => expressionForm(text, name),
  unique: ({ columns }) => JSON.stringify(columns),
  foreignKey: (key) => foreignKeyForm(key, name),
  index: (index) => indexForm(index, name),
});

const allOf = ({ indexes, foreignKeys, uniques, checks }: TableLayout): readonly Named[] => [
  ...indexes,
  ...foreignKeys,
  ...uniques,
  ...checks,
];

/**
 * Tables whose constraints and indexes all have names, so that a later step, or what undoes this one, can call them by
 * these: what stays keeps the name that it has, and what comes gets one that nothing has which stays: what it is of in
 * words, as engines name it themselves. Only a primary key keeps what the engine calls it.
 */
export function named(
  wanted: readonly TableLayout[],
  found: readonly TableLayout[],
  dialect: Dialect,
): readonly TableLayout[] {
  const forms = formsOf(dialect);
  const before = new Map(found.map((table) => [tableKey(table), table]));
  const asked = new Set(wanted.map(tableKey));
  // One set for all, since some engines want names to differ among tables; tables that go do so last.
  const taken = new Set<string>();
  const take = ({ name }: Named): void => {
    if (name !== undefined) taken.add(name.toLowerCase());
  };
  for (const table of found) if (!asked.has(tableKey(table))) allOf(table).forEach(take);
  const staying = wanted.map((table): TableLayout => {
    const there = before.get(tableKey(table));
    const checks = takingFrom(there?.checks ?? [], forms.check);
    const uniques = takingFrom(there?.uniques ?? [], forms.unique);
    const foreignKeys = takingFrom(there?.foreignKeys ?? [], forms.foreignKey);
    const indexes = takingFrom(there?.indexes ?? [], forms.index);
    // What stays is as it is there, with its name or without.
    const kept = {
      ...table,
      checks: table.checks.map((one) => checks(one) ?? { ...one, isNew: true }),
      uniques: table.uniques.map((one) => uniques(one) ?? { ...one, isNew: true }),
      foreignKeys: table.foreignKeys.map((one) => foreignKeys(one) ?? { ...one, isNew: true }),
      indexes: table.indexes.map((one) => indexes(one) ?? { ...one, isNew: true }),
    };
    for (const one of allOf(kept)) if (!("isNew" in one)) take(one);
    return kept;
  });
  const fresh = <T extends Named>(one: T, words: string): T & { readonly name: string } => {
    const { isNew: _, ...rest } = one as T & { readonly isNew?: boolean };
    const own = one.name ?? words;
    const name = objectName(own, taken.has(own.toLowerCase()) ? JSON.stringify(rest) : undefined, taken);
    return { ...(rest as T), name };
  };
  return staying.map((layout): TableLayout => {
    const { table, foreignKeys, uniques, checks, indexes } = layout;
    const settled = <T extends Named>(one: T, words: string): T => ("isNew" in one ? fresh(one, words) : one);
    return {
      ...layout,
      foreignKeys: foreignKeys.map((key) => settled(key, [table, ...key.columns, "fkey"].join("_"))),
      uniques: uniques.map((key) => settled(key, [table, ...key.columns, "key"].join("_"))),
      indexes: indexes.map((index) => settled(index, index.name)),
      checks: checks.map((check) =>
        "isNew" in check ? { ...fresh(check, `${table}_${check.column}_check`), column: undefined } : check,
      ),
    };
  });
}
