import type { Dialect } from "../dialects/dialect.js";
import type { Assignment, InsertEnd, Parameter, SelectItem, Write } from "../tree/tree.js";
import { type Printed, printExpression, printItems, printLogic, printTable } from "./print.js";
import { newPrinter, type Printer, qualifiedTable } from "./printer.js";

const printAssignments = (printer: Printer, set: readonly Assignment[]): string =>
  set
    .map(({ column, value }) => `${printer.dialect.text.quote(column)} = ${printExpression(printer, value)}`)
    .join(", ");

/** What a write gives of each row, with a blank before it; nothing where it gives none. */
function printReturning(printer: Printer, items: readonly SelectItem[]): string {
  return items.length === 0 ? "" : ` returning ${printItems(printer, items)}`;
}

/** The text of a statement that changes or deletes rows. */
export function printWrite(given: Write, dialect: Dialect): Printed {
  const { kind, table, set, found, where, returning } = dialect.rewrites.write?.(given) ?? given;
  const parameters: Parameter[] = [];
  const printer = newPrinter(dialect, parameters);
  const name = qualifiedTable(table, dialect);
  const change = () => `set ${printAssignments(printer, set)}`;
  if (found !== undefined) {
    const { alias, on, select } = found;
    const rows = () => printTable(printer, { kind: "derived", select, alias });
    const text = dialect.writes.isJoined
      ? `update ${name} join ${rows()} on ${printLogic(printer, "and", on)} ${change()}`
      : `update ${name} ${change()} from ${rows()} where ${printLogic(printer, "and", on)}`;
    return { text: text + printReturning(printer, returning), parameters };
  }
  const begin = kind === "delete" ? `delete from ${name}` : `update ${name} ${change()}`;
  const narrowed = where.length === 0 ? "" : ` where ${printLogic(printer, "and", where)}`;
  return { text: begin + narrowed + printReturning(printer, returning), parameters };
}

/** What stands after the rows of an insert, of which `before` placeholders stand before it. */
export function printInsertEnd(given: InsertEnd, dialect: Dialect, before: number): Printed {
  const { conflict, returning } = dialect.rewrites.insertEnd?.(given) ?? given;
  const parameters: Parameter[] = new Array<Parameter>(before);
  const printer = newPrinter(dialect, parameters);
  const { quote } = dialect.text;
  const resolved =
    conflict === undefined
      ? ""
      : ` ${dialect.writes.onConflict(conflict.by.map(quote), printAssignments(printer, conflict.set))}`;
  const text = resolved + printReturning(printer, returning);
  return { text, parameters: parameters.slice(before) };
}
