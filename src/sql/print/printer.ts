import type { Scalar, ValueType } from "../../columns/index.js";
import type { Derivation } from "../../ir/index.js";
import type { Dialect } from "../dialects/dialect.js";
import { inForm, storedIn } from "../dialects/stored.js";
import type { Parameter, SqlExpression } from "../tree/tree.js";

/** A text in the making. */
export interface Printer {
  readonly dialect: Dialect;
  /** Undefined in a table's definition, where values stand in the text. */
  readonly parameters: Parameter[] | undefined;
  /** Parameters of expressions that may stand in a statement several times. */
  readonly made: Map<SqlExpression, Parameter>;
  /** What queries are called that the statement names before it begins. */
  readonly names: Map<Derivation, string>;
  /** How many keys the text has places for, where an engine lists them one by one. */
  readonly keyCount: number;
}

/** Begins a text; without parameters values stand in it. */
export const newPrinter = (dialect: Dialect, parameters: Parameter[] | undefined, keyCount = 1): Printer => ({
  dialect,
  parameters,
  made: new Map(),
  names: new Map(),
  keyCount,
});

/** The parameter of an expression, the same one wherever the expression stands. */
export function parameterOf(printer: Printer, expression: SqlExpression, make: () => Parameter): Parameter {
  const known = printer.made.get(expression) ?? make();
  printer.made.set(expression, known);
  return known;
}

/** What stands in the text for a parameter: a placeholder, or the value itself. */
export function place({ dialect: { name, text }, parameters }: Printer, parameter: Parameter): string {
  if (parameters !== undefined) {
    const known = text.isNumbered ? parameters.indexOf(parameter) + 1 : 0;
    const placeholder = text.placeholder(known > 0 ? known : parameters.push(parameter));
    if (parameter.kind !== "value" && (parameter.kind !== "hole" || parameter.isList)) return placeholder;
    const { isTyped, type } = parameter;
    const typed = isTyped === true ? text.typed(placeholder, type) : placeholder;
    return type.stored === undefined ? typed : inForm(storedIn(type, name)?.write, typed);
  }
  switch (parameter.kind) {
    case "value":
      return text.literal(parameter.value, parameter.type);
    case "list":
      return parameter.values.map((value) => text.literal(value, parameter.type)).join(", ");
    case "hole":
    case "rows":
    case "keys":
    case "key":
      return "";
    default:
      return parameter satisfies never;
  }
}

/** Values as placeholders of their own; of few numbers, so that there are few texts. */
export function listed(printer: Printer, values: readonly Scalar[], type: ValueType): string {
  let size = values.length < 2 ? 1 : 8;
  while (size < values.length) size *= 2;
  const padded = Array.from({ length: size }, (_, i) => values[Math.min(i, values.length - 1)] as Scalar);
  return padded.map((value) => place(printer, { kind: "value", value, type })).join(", ");
}

/** A value's text, out of the form in which the engine stores it. */
export const outOfForm = ({ dialect }: Printer, text: string, type: ValueType | undefined): string =>
  type?.stored === undefined ? text : inForm(storedIn(type, dialect.name)?.read, text);

/** A table's name, with its schema where that was given. */
export const qualifiedTable = (
  { schema, table }: { readonly schema: string | undefined; readonly table: string },
  { text: { quote } }: Dialect,
): string => (schema === undefined ? quote(table) : `${quote(schema)}.${quote(table)}`);
