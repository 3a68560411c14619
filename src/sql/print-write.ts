import type { ResolvedEntity } from "../expression/index.js";
import type { Dialect } from "./dialect.js";
import { type Printed, printExpression, printItems, printLogic, qualifiedTable } from "./print.js";
import { newPrinter, type Printer } from "./printer.js";
import type { Parameter, SelectItem, SqlExpression } from "./tree.js";

/** A column and what it is given. */
export interface Assignment {
  readonly column: string;
  readonly value: SqlExpression;
}

/** A statement that changes or deletes rows. */
export interface Write {
  readonly kind: "update" | "delete";
  readonly entity: ResolvedEntity;
  readonly set: readonly Assignment[];
  readonly where: readonly SqlExpression[];
  /** What it gives of each row; none where it gives only their number. */
  readonly returning: readonly SelectItem[];
}

const printAssignments = (printer: Printer, set: readonly Assignment[]): string =>
  set.map(({ column, value }) => `${printer.dialect.quote(column)} = ${printExpression(printer, value)}`).join(", ");

/** What a write gives of each row, with a blank before it; nothing where it gives none. */
function printReturning(printer: Printer, items: readonly SelectItem[]): string {
  return items.length === 0 ? "" : ` returning ${printItems(printer, items)}`;
}

/** The text of a statement that changes or deletes rows. */
export function printWrite({ kind, entity, set, where, returning }: Write, dialect: Dialect): Printed {
  const parameters: Parameter[] = [];
  const printer = newPrinter(dialect, parameters);
  const table = qualifiedTable(entity, dialect);
  const begin = kind === "delete" ? `delete from ${table}` : `update ${table} set ${printAssignments(printer, set)}`;
  const narrowed = where.length === 0 ? "" : ` where ${printLogic(printer, "and", where)}`;
  return { text: begin + narrowed + printReturning(printer, returning), parameters };
}

/** What stands after the rows of an insert: what to do where one is there already, and what to give of each. */
export function printInsertEnd(
  conflict: { readonly by: readonly string[]; readonly set: readonly Assignment[] } | undefined,
  returning: readonly SelectItem[],
  dialect: Dialect,
  before: number,
): Printed {
  const parameters: Parameter[] = new Array<Parameter>(before);
  const printer = newPrinter(dialect, parameters);
  const resolved =
    conflict === undefined
      ? ""
      : ` ${dialect.onConflict(conflict.by.map(dialect.quote), printAssignments(printer, conflict.set))}`;
  const text = resolved + printReturning(printer, returning);
  return { text, parameters: parameters.slice(before) };
}
