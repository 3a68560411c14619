import type { Derivation } from "../expression/index.js";
import type { Dialect } from "./dialect.js";
import type { Parameter, SqlExpression } from "./tree.js";

/** A text in the making. */
export interface Printer {
  readonly dialect: Dialect;
  /** Undefined in a table's definition, where values stand in the text. */
  readonly parameters: Parameter[] | undefined;
  /** Parameters of expressions that may stand in a statement several times. */
  readonly made: Map<SqlExpression, Parameter>;
  /** What queries are called that the statement names before it begins. */
  readonly names: Map<Derivation, string>;
}

/** Begins a text; without parameters values stand in it. */
export const newPrinter = (dialect: Dialect, parameters: Parameter[] | undefined): Printer => ({
  dialect,
  parameters,
  made: new Map(),
  names: new Map(),
});

/** The parameter of an expression, the same one wherever the expression stands. */
export function parameterOf(printer: Printer, expression: SqlExpression, make: () => Parameter): Parameter {
  const known = printer.made.get(expression) ?? make();
  printer.made.set(expression, known);
  return known;
}

/** What stands in the text for a parameter: a placeholder, or the value itself. */
export function place({ dialect, parameters }: Printer, parameter: Parameter): string {
  if (parameters !== undefined) {
    const known = dialect.isNumbered ? parameters.indexOf(parameter) + 1 : 0;
    const placeholder = dialect.placeholder(known > 0 ? known : parameters.push(parameter));
    const isTyped = (parameter.kind === "value" || parameter.kind === "hole") && parameter.isTyped === true;
    return isTyped ? dialect.typed(placeholder, parameter.type) : placeholder;
  }
  switch (parameter.kind) {
    case "value":
      return dialect.literal(parameter.value, parameter.type);
    case "list":
      return parameter.values.map((value) => dialect.literal(value, parameter.type)).join(", ");
    default:
      return "";
  }
}
