import type { Hole } from "../../ir/index.js";
import type { Select, SqlExpression } from "../tree/tree.js";
import { listed, type Printer, parameterOf, place } from "./printer.js";

/** Whether a value, as it was printed, is one of a list: of placeholders one by one, or of one for all of them. */
export function printInList(
  printer: Printer,
  expression: Extract<SqlExpression, { readonly kind: "inList" }>,
  left: string,
): string {
  const { values, type, negated, isListed } = expression;
  const { text } = printer.dialect;
  const among = negated ? "not in" : "in";
  if (printer.parameters !== undefined && !("hole" in values) && values.length > 0) {
    const isShort = isListed === true || values.length <= (text.mostListed?.(type) ?? 0);
    if (isShort) return `${left} ${among} (${listed(printer, values, type)})`;
  }
  const list = parameterOf(printer, expression, () =>
    "hole" in values
      ? { kind: "hole", hole: values.hole, type, isTyped: false, isList: true }
      : { kind: "list", values, type },
  );
  if (printer.parameters === undefined) return `${left} ${among} (${place(printer, list)})`;
  return text.inList(left, place(printer, list), type, negated);
}

/** The placeholder of a pattern: of one that is known, or of the text that it is made of. */
export function printPattern(printer: Printer, like: Extract<SqlExpression, { readonly kind: "like" }>): string {
  const { pattern } = like;
  const type = { kind: "text" } as const;
  const parameter = parameterOf(printer, like, () =>
    typeof pattern === "string"
      ? { kind: "value", value: printer.dialect.text.pattern(pattern), type }
      : { kind: "hole", hole: pattern.hole, type, isTyped: false, isList: false, match: pattern.call },
  );
  return place(printer, parameter);
}

/** How many rows, and from which on. */
export function printLimits(printer: Printer, limit: Select["limit"], offset: Select["offset"]): string {
  const type = { kind: "integer" } as const;
  const count = (rows: number | Hole | undefined) => {
    if (rows === undefined) return undefined;
    return place(
      printer,
      typeof rows === "number"
        ? { kind: "value", value: rows, type }
        : { kind: "hole", hole: rows.hole, type, isTyped: false, isList: false },
    );
  };
  const { text } = printer.dialect;
  const said = { one: "1", all: text.everyRow };
  const isSaid = typeof limit === "number" && text.isLimitSaid;
  const most = isSaid ? String(limit) : typeof limit === "string" ? said[limit] : count(limit);
  return text.limit(most, count(offset));
}
