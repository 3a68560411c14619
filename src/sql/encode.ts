import type { ValueType } from "../columns/index.js";
import type { Dialect, Keys, Wire } from "./dialect.js";
import type { Parameter } from "./tree.js";

/** What goes over the wire for a placeholder; `keys` are those of the rows that feed the statement. */
export function encodeParameter(dialect: Dialect, parameter: Parameter, keys: Keys): Wire {
  switch (parameter.kind) {
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
