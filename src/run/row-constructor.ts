import type { Shape } from "../plan/index.js";
import type { Decoder, Dialect, Wire } from "../sql/index.js";

/** Makes what the user gets of one row. */
export type RowConstructor = (row: readonly Wire[]) => unknown;

type Decoders = Dialect["decoders"];

/** A property's key in source code; in brackets where the language would read more into the name. */
const sourceKey = (name: string): string => (name === "__proto__" ? '["__proto__"]' : JSON.stringify(name));

function sourceOf(shape: Shape, decoders: Decoders): string {
  switch (shape.kind) {
    case "value": {
      const wire = `r[${shape.slot}]`;
      return decoders[shape.type] === undefined ? wire : `(${wire} === null ? null : d.${shape.type}(${wire}))`;
    }
    case "related":
      return shape.cardinality === "many" ? "[]" : "null";
    case "object": {
      const fields = shape.fields.map(([name, part]) => `${sourceKey(name)}: ${sourceOf(part, decoders)}`);
      const object = `{ ${fields.join(", ")} }`;
      return shape.presence === undefined ? object : `(r[${shape.presence}] === null ? null : ${object})`;
    }
    default:
      return shape satisfies never;
  }
}

/** The same without generating code: slower, for places that forbid it. */
function closureOf(shape: Shape, decoders: Decoders): RowConstructor {
  switch (shape.kind) {
    case "value": {
      const { slot } = shape;
      const decode: Decoder | undefined = decoders[shape.type];
      if (decode === undefined) return (row) => row[slot];
      return (row) => {
        const wire = row[slot] as Wire;
        return wire === null ? null : decode(wire);
      };
    }
    case "related":
      return shape.cardinality === "many" ? () => [] : () => null;
    case "object": {
      const parts = shape.fields.map(([name, part]) => [name, closureOf(part, decoders)] as const);
      const { presence } = shape;
      return (row) =>
        presence !== undefined && row[presence] === null
          ? null
          : Object.fromEntries(parts.map(([name, make]) => [name, make(row)]));
    }
    default:
      return shape satisfies never;
  }
}

/** Whether this place lets code be generated; a page's content security policy may forbid it. */
export function canGenerateCode(): boolean {
  try {
    return new Function("return true")() === true;
  } catch {
    return false;
  }
}

/** How many constructors are kept; a program has far fewer shapes than that, unless it makes them up as it goes. */
const most = 1000;

/** Gives the constructor of a shape; compiled once for each shape, where code may be generated. */
export function rowConstructors({ decoders }: Dialect, generateCode: boolean): (shape: Shape) => RowConstructor {
  if (!generateCode) return (shape) => closureOf(shape, decoders);
  const compiled = new Map<string, RowConstructor>();
  return (shape) => {
    const source = sourceOf(shape, decoders);
    const known = compiled.get(source);
    if (known !== undefined) return known;
    const made = new Function("d", `return (r) => (${source});`)(decoders) as RowConstructor;
    if (compiled.size >= most) compiled.clear();
    compiled.set(source, made);
    return made;
  };
}
