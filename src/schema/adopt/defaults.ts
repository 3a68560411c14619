import { type AnyColumn, canonicalOf, factsKey } from "../../columns/index.js";

/** The value that code has for a default, out of the form of its expression; undefined where code cannot say it. */
export function defaultIn(form: string, column: AnyColumn): unknown {
  const { type } = column[factsKey];
  const bare = /^'(.*)'$/s.exec(form)?.[1] ?? form;
  const isLiteral = bare !== form || /^-?\d+(?:\.\d+)?$/.test(form) || form === "true" || form === "false";
  if (!isLiteral || (type.stored !== undefined && type.kind !== "choice" && bare !== form && type.kind !== "text"))
    return undefined;
  const value = ((): unknown => {
    switch (type.kind) {
      case "integer":
      case "double":
        return bare === "" ? undefined : Number(bare);
      case "bigint":
        return type.codec === undefined && /^-?\d+$/.test(bare) ? BigInt(bare) : undefined;
      case "numeric":
      case "text":
      case "varchar":
      case "choice":
      case "date":
        return bare;
      case "boolean":
        return /^(?:true|t|1)$/.test(bare) ? true : /^(?:false|f|0)$/.test(bare) ? false : undefined;
      default:
        return undefined;
    }
  })();
  if (value === undefined) return undefined;
  // What the kind does not hold is left to the table.
  return canonicalOf(value, type) === undefined ? undefined : value;
}
