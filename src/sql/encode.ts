import type { Scalar, ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import type { Given } from "../expression/index.js";
import type { Dialect, Keys, Wire } from "./dialect.js";
import type { Parameter } from "./tree.js";

/**
 * What goes over the wire for a placeholder; `keys` are those of the rows that feed the statement, `given`
 * what a template is run with.
 */
export function encodeParameter(dialect: Dialect, parameter: Parameter, keys: Keys, given?: Given): Wire {
  switch (parameter.kind) {
    case "hole": {
      const { hole, type, isTyped, isList } = parameter;
      const value = given?.get(hole);
      if (value === undefined) throw new GemachError("TEMPLATE_OPEN", { parameter: hole });
      return isList
        ? dialect.encode({ kind: "list", values: value as readonly Scalar[], type })
        : dialect.encode({ kind: "value", value, type, isTyped });
    }
    case "keys":
      return dialect.encodeKeys(parameter, keys);
    case "rows": {
      const { types } = parameter;
      const wires = parameter.rows.map((row) =>
        row.map((value, i) => dialect.encode({ kind: "value", value, type: types[i] as ValueType })),
      );
      return dialect.encodeKeys(parameter, wires);
    }
    default:
      return dialect.encode(parameter);
  }
}
