import type { RawText } from "../../ir/index.js";
import type { Dialect } from "../dialects/dialect.js";
import { encodeParameter } from "../dialects/encode.js";
import type { Wire } from "../dialects/wire.js";
import { printStatement } from "../print/print.js";
import { startScope } from "../translate/expression.js";
import { rawOf } from "../translate/queries.js";

/** A statement as it was written, with what belongs to its placeholders. */
export function rawRequest(
  text: RawText,
  dialect: Dialect,
): { readonly text: string; readonly parameters: readonly Wire[] } {
  const printed = printStatement(rawOf(startScope(), text), dialect);
  return {
    text: printed.text,
    parameters: printed.parameters.map((parameter) => encodeParameter(dialect, parameter, [])),
  };
}
