import { decoderFor, kinds } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import type { RowPlan, Shape } from "../../plan/index.js";
import type { Dialect, Wire } from "../../sql/index.js";
import { isLooked } from "./row-constructor.js";

/** A value of a row that cannot be read: the names that lead to it, and the entity's row that it is of. */
interface FailingValue {
  readonly path: readonly string[];
  readonly row: Extract<Shape, { kind: "object" }>["row"];
}

/** Finds the value at which reading a row fails, by reading its values one by one. */
function failingValue(
  shape: Shape,
  wires: readonly Wire[],
  dialect: Dialect,
  at: FailingValue,
): FailingValue | undefined {
  switch (shape.kind) {
    case "value": {
      const wire = wires[shape.slot] as Wire;
      if (wire === null) return shape.isNullable ? undefined : at;
      try {
        if (isLooked(shape.type, dialect) && typeof wire !== "string") return at;
        const canonical = dialect.wire.decoder(shape.type)?.(wire) ?? wire;
        decoderFor(shape.type)?.(canonical);
        return undefined;
      } catch {
        return at;
      }
    }
    case "object":
      for (const [name, part] of shape.fields) {
        const inside = shape.row === undefined ? { ...at, path: [...at.path, name] } : { path: [name], row: shape.row };
        const found = failingValue(part, wires, dialect, inside);
        if (found !== undefined) return found;
      }
      return undefined;
    case "required":
      return failingValue(shape.row, wires, dialect, at);
    case "related":
      return undefined;
    default:
      return shape satisfies never;
  }
}

/** The key of an entity's row in words, where its values only number rows. */
function keyWords({ row }: FailingValue, wires: readonly Wire[]): string | undefined {
  if (row === undefined || !row.entity.key.every(({ kind }) => kinds[kind].isShown)) return undefined;
  return row.entity.key.map(({ property }, i) => `${property} ${wires[row.key[i] as number]}`).join(", ");
}

/** The faults of reading a value. */
const readFaults: ReadonlySet<string> = new Set(["VALUE_UNREADABLE", "VALUE_LOSSY", "VALUE_NULL"]);

/** What went wrong in reading a row, with the column and the row where it is about a value. */
export function located(error: unknown, { shape }: RowPlan, wires: readonly Wire[], dialect: Dialect): unknown {
  if (!(error instanceof GemachError && readFaults.has(error.code))) return error;
  const given = error.names as { readonly kind: string; readonly column?: string };
  if (given.column !== undefined) return error;
  const table = failingValue(shape, wires, dialect, { path: [], row: undefined });
  if (table === undefined) return error;
  const column = [table.row?.entity.name ?? "the projection", ...table.path].join(".");
  const names = { kind: given.kind, column, key: keyWords(table, wires) };
  return new GemachError(error.code as "VALUE_UNREADABLE", names, { cause: error });
}
