import type { Parameter, Select, SqlExpression } from "../tree/tree.js";
import type { Printer } from "./printer.js";

/** What a select gives in one place, as it was printed. */
export interface PrintedItem {
  /** Without its name. */
  readonly text: string;
  /** Those that its text brought along. */
  readonly parameters: readonly Parameter[];
  readonly name: string;
}

/** The items of a select in its text. */
export const joinItems = (items: readonly PrintedItem[]): string =>
  items.map(({ text, name }) => text + name).join(", ");

/** Prints an expression. */
type PrintExpression = (printer: Printer, expression: SqlExpression) => string;

/** A shorter text says more than a number does. */
const shortest = 20;

/**
 * What rows are grouped or sorted by, as `print` says it; where a select gives the very same, its position there
 * (SQL-92; all engines take it): so nothing is said or sent twice, and an engine whose placeholders have no numbers
 * sees that it is the same.
 */
export function positionAmong(
  printer: Printer,
  items: readonly PrintedItem[],
  expression: SqlExpression,
  snapshot: PrintExpression,
): string {
  const { parameters = [], dialect } = printer;
  const before = parameters.length;
  const text = snapshot(printer, expression);
  const own = parameters.slice(before);
  if (expression.kind === "column" || (own.length === 0 && text.length < shortest)) return text;
  // Where parameters have numbers, the text says which they are.
  const isSame = (known: readonly Parameter[]) =>
    dialect.text.isNumbered || (known.length === own.length && known.every((parameter, i) => parameter === own[i]));
  const position = items.findIndex((item) => item.text === text && isSame(item.parameters));
  if (position < 0) return text;
  parameters.length = before;
  return String(position + 1);
}

/** What rows are grouped by, or the sets of it. */
export function printGroups(
  printer: Printer,
  { groupBy, sets }: Select,
  items: readonly PrintedItem[],
  snapshot: PrintExpression,
): string {
  if (sets === undefined) return groupBy.map((part) => positionAmong(printer, items, part, snapshot)).join(", ");
  const parts = groupBy.map((part) => snapshot(printer, part));
  const isOfFirst = (set: readonly number[], count: number) =>
    set.length === count && set.every((position, at) => position === at);
  const isRollup = sets.length === parts.length + 1 && sets.every((set, i) => isOfFirst(set, parts.length - i));
  if (isRollup) return `rollup (${parts.join(", ")})`;
  return `grouping sets (${sets.map((set) => `(${set.map((position) => parts[position]).join(", ")})`).join(", ")})`;
}
