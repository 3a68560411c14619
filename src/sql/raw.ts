import type { RawText } from "../expression/index.js";
import type { Dialect, Wire } from "./dialect.js";
import { encodeParameter } from "./encode.js";
import { printStatement } from "./print.js";
import { rawOf } from "./queries.js";
import { startScope } from "./translate-expression.js";

/** A statement as it was written, with what belongs to its placeholders. */
export function rawRequest(
  text: RawText,
  dialect: Dialect,
): { readonly text: string; readonly parameters: readonly Wire[] } {
  const printed = printStatement(rawOf(startScope(dialect), text), dialect);
  return {
    text: printed.text,
    parameters: printed.parameters.map((parameter) => encodeParameter(dialect, parameter, [])),
  };
}
