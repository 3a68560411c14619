import type { Scalar, ValueType } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import { type ParameterValues, standingHole } from "../../ir/index.js";
import { patterns } from "../print/calls.js";
import type { Parameter } from "../tree/tree.js";
import type { Dialect } from "./dialect.js";
import type { Keys, Wire } from "./wire.js";

/** A value that nobody gave: of a template, or of a standing condition. */
function openHole(hole: string): GemachError {
  const name = hole.startsWith(standingHole("")) ? hole.slice(standingHole("").length) : undefined;
  return name === undefined
    ? new GemachError("TEMPLATE_OPEN", { parameter: hole })
    : new GemachError("STANDING_OPEN", { name });
}

/** The value of a placeholder: the pattern of a match, or what was given. */
export const ofMatch = (
  { text }: Dialect,
  { match }: Extract<Parameter, { readonly kind: "hole" }>,
  given: Scalar,
): Scalar => (match === undefined ? given : text.pattern(patterns[match]?.(given) as string));

/** Encodes the value of a placeholder; `keys` are those of the owners' rows, `given` the values of a template. */
export function encodeParameter(dialect: Dialect, parameter: Parameter, keys: Keys, given?: ParameterValues): Wire {
  switch (parameter.kind) {
    case "hole": {
      const { hole, type, isTyped, isList } = parameter;
      const known = given?.get(hole);
      if (known === undefined) throw openHole(hole);
      const value = ofMatch(dialect, parameter, known as Scalar);
      return isList
        ? dialect.wire.encode({ kind: "list", values: value as readonly Scalar[], type })
        : dialect.wire.encode({ kind: "value", value, type, isTyped });
    }
    case "keys":
      return dialect.wire.encodeKeys(parameter, keys);
    case "key":
      return keys[parameter.at]?.[parameter.part] ?? parameter.absent;
    case "rows": {
      const { types } = parameter;
      const wires = parameter.rows.map((row) =>
        row.map((value, i) => dialect.wire.encode({ kind: "value", value, type: types[i] as ValueType })),
      );
      return dialect.wire.encodeKeys(parameter, wires);
    }
    default:
      return dialect.wire.encode(parameter);
  }
}
