import type { CheckLayout, Dialect, TableLayout } from "../../sql/index.js";
import { isEnclosed } from "../../sql/index.js";
import { typeForm } from "../compare/forms.js";
import { expressionForm, nameForm } from "../text/expression-form.js";
import { type ColumnCode, callCode, calling } from "./code.js";
import { freeName, propertyName } from "./names.js";

/** Texts that a check lists for a column. */
function choicesIn(
  table: TableLayout,
  column: string,
  dialect: Dialect,
): { readonly choices: readonly string[]; readonly check: unknown } | undefined {
  for (const check of table.checks) {
    const form = expressionForm(check.text, dialect.name);
    const match = /^in\(("(?:[^"]|"")*"), ('(?:[^']|'(?!, '|\)$))*'(?:, '(?:[^']|'(?!, '|\)$))*')*)\)$/.exec(form);
    if (match === null || match[1] !== nameForm(column)) continue;
    const choices = [...(match[2] as string).matchAll(/'(.*?)'(?=, '|$)/gs)].map(([, text]) => text as string);
    if (choices.length > 0 && new Set(choices).size === choices.length && !choices.includes(""))
      return { choices, check };
  }
  return undefined;
}

/** A rule that says no more than that a text is JSON: MariaDB's type of this name has it. */
export const isJsonRule = (text: string, column: string): boolean =>
  expressionForm(text, "mariadb") === `json_valid(${nameForm(column)})`;

/** The texts of a choice in a column of its own type: a text of any length, or of another form. */
function choiceCode(choices: readonly string[], type: string, dialect: Dialect): ColumnCode {
  const code = callCode("choice", ...choices);
  const usual = dialect.definition.rules.columnType({ kind: "choice", choices }, true);
  return typeForm(usual, dialect.name) === typeForm(type, dialect.name)
    ? code
    : calling(code, "storedAs", { [dialect.name]: type });
}

/** What a rule of SQLite's says of a text: that it is JSON, or how long it may be. */
function lengthOrJson({ checks }: TableLayout, column: string, code: ColumnCode) {
  if (code.text !== "text") return undefined;
  for (const check of checks) {
    const form = expressionForm(check.text, "sqlite");
    if (form === `json_valid(${nameForm(column)})`) return { code: callCode("json"), check };
    const start = `<=(length(${nameForm(column)}), `;
    const length = form.startsWith(start) ? /^\d+(?=\)$)/.exec(form.slice(start.length))?.[0] : undefined;
    if (length !== undefined && Number(length) > 0) return { code: callCode("varchar", Number(length)), check };
  }
  return undefined;
}

/** A kind that a rule of the table speaks of, and that rule: a choice of texts; on SQLite a length, or JSON. */
export function ruledKind(
  table: TableLayout,
  { name, type }: { readonly name: string; readonly type: string },
  code: ColumnCode,
  dialect: Dialect,
): { readonly code: ColumnCode; readonly check: unknown } | undefined {
  const worded = dialect.name === "sqlite" ? lengthOrJson(table, name, code) : undefined;
  if (worded !== undefined || code.text.startsWith("choice") || table.primaryKey.columns.includes(name)) return worded;
  const found = choicesIn(table, name, dialect);
  return found === undefined ? undefined : { code: choiceCode(found.choices, type, dialect), check: found.check };
}

/** PostgreSQL gives conditions back between parentheses. */
const withoutParentheses = (text: string): string => (isEnclosed(text) ? withoutParentheses(text.slice(1, -1)) : text);

/** The rules of a table that no column says, in the database's own words. */
export function rulesIn(table: TableLayout, said: ReadonlySet<unknown>, dialect: Dialect) {
  const names = new Set<string>();
  const isOfType = ({ text }: CheckLayout) =>
    dialect.name === "mariadb" && table.columns.some(({ name }) => isJsonRule(text, name));
  return table.checks
    .filter((check) => !said.has(check) && !isOfType(check))
    .map((check) => {
      const given = check.name ?? check.column ?? "rule";
      const start = `${table.table}_`;
      const name = freeName(propertyName(given.startsWith(start) ? given.slice(start.length) : given), names);
      names.add(name);
      return { name, text: withoutParentheses(check.text) };
    });
}
