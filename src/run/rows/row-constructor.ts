import { decoderFor, derived, type ValueType } from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";
import type { Shape } from "../../plan/index.js";
import type { Dialect, Wire } from "../../sql/index.js";
import { rowMissing } from "./row-missing.js";

/** Makes what the user gets of one row. */
export type RowConstructor = (row: readonly Wire[]) => unknown;

/** Makes a value of what came over the wire; it is never asked about null. */
type Decode = (wire: Wire) => unknown;

/**
 * What is true of a number that is the very value, where the driver gives numbers: asked in the row's own code, it
 * takes a third of the time of a call that other engines' values have passed through too.
 */
function sureNumber({ kind, codec }: ValueType, { wire: { isTextSure } }: Dialect, wire: string): string | undefined {
  if (isTextSure || codec !== undefined) return undefined;
  if (kind === "integer" || kind === "identity") return `typeof ${wire} === "number" && Number.isSafeInteger(${wire})`;
  return kind === "double" ? `typeof ${wire} === "number" && ${wire} - ${wire} === 0` : undefined;
}

/** What makes a type's values of what comes over the wire; undefined where that is the very value. */
function decodeOf(type: ValueType, dialect: Dialect): Decode | undefined {
  if (type.isGathered === true) return gatheredOf(type.element as ValueType, dialect);
  const toValue = decoderFor(type);
  const fromWire =
    dialect.wire.decoder(type) ?? (toValue !== undefined && isLooked(type, dialect) ? textOf : undefined);
  if (fromWire === undefined) return toValue as Decode | undefined;
  return toValue === undefined ? fromWire : (wire) => toValue(fromWire(wire));
}

/** Decodes a list of values of many rows; missing ones are left out, where the engine has not done so. */
function gatheredOf(element: ValueType, dialect: Dialect): Decode {
  const decode = decodeOf(element, dialect) ?? (isLooked(element, dialect) ? textOf : (wire: Wire) => wire);
  return (list) => dialect.wire.gathered(list, element).flatMap((wire) => (wire === null ? [] : [decode(wire)]));
}

/** Whether a value is looked at only to see that it is a text. */
export const isLooked = ({ kind }: ValueType, { wire }: Dialect): boolean =>
  !wire.isTextSure && (kind === "text" || kind === "varchar");

const textOf = (wire: Wire): string => (typeof wire === "string" ? wire : refuseOther(wire));

/** What reading a row takes. */
interface Reading {
  readonly dialect: Dialect;
  readonly decodeFor: (type: ValueType) => Decode | undefined;
}

/** Gives each type its decoder; types that differ in nothing but their identity share one, and so their sources. */
function decodersOf(dialect: Dialect): (type: ValueType) => Decode | undefined {
  const byKind = new Map<string, Decode | undefined>();
  const decodeFor = derived((type: ValueType) => {
    const isPlain = type.codec === undefined && type.element === undefined && type.choices === undefined;
    const name = `${type.kind} ${type.isText} ${type.isPadded} ${type.scale}`;
    const decode = isPlain && byKind.has(name) ? byKind.get(name) : decodeOf(type, dialect);
    if (isPlain) byKind.set(name, decode);
    return { decode };
  });
  return (type) => decodeFor(type).decode;
}

type Fields = Extract<Shape, { kind: "object" }>["fields"];

/** A property's key in source code; in brackets where the language would read more into the name. */
const sourceKey = (name: string): string => {
  if (name === "__proto__") return '["__proto__"]';
  return /^[a-z_]\w*$/i.test(name) ? name : JSON.stringify(name);
};

/** What stands in place of related rows until they come. */
const nothing = { one: "null", many: "[]", count: "0" } as const;

const isNull = (slot: number): string => `r[${slot}] === null`;
const isValue = (slot: number): string => `r[${slot}] !== null`;

/** Refuses null where the model, or an expression's type, says that there is a value. */
function refuseNull(): never {
  throw new GemachError("VALUE_NULL", {});
}

/** Refuses what is no text. */
function refuseOther(wire: Wire): never {
  throw new GemachError(wire === null ? "VALUE_NULL" : "VALUE_UNREADABLE", { kind: "text" });
}

/** Refuses a row whose key leads nowhere. */
function refusalOf({ relation, keys }: Extract<Shape, { kind: "required" }>): (row: unknown) => never {
  return (row) => {
    throw rowMissing(relation, row as readonly Wire[], keys);
  };
}

/** Source code for a shape; the decoders that it calls are added to `decodes`, and called by their position. */
function sourceOf(shape: Shape, reading: Reading, decodes: Decode[]): string {
  switch (shape.kind) {
    case "value": {
      const wire = `r[${shape.slot}]`;
      const decode = reading.decodeFor(shape.type);
      const call = (called: Decode, argument: string) => {
        const known = decodes.indexOf(called);
        return `d${known < 0 ? decodes.push(called) - 1 : known}(${argument})`;
      };
      if (decode === undefined && isLooked(shape.type, reading.dialect)) {
        const isText = `typeof ${wire} === "string"`;
        const known = shape.isNullable ? `${isText} || ${wire} === null` : isText;
        return `(${known} ? ${wire} : ${call(refuseOther, wire)})`;
      }
      const value = shape.isNullable ? wire : `(${wire} ?? ${call(refuseNull, "")})`;
      if (decode === undefined) return value;
      const decoded = shape.isNullable ? `(${wire} === null ? null : ${call(decode, wire)})` : call(decode, value);
      const sure = sureNumber(shape.type, reading.dialect, wire);
      return sure === undefined ? decoded : `(${sure} ? ${wire} : ${decoded})`;
    }
    case "related":
      return nothing[shape.cardinality];
    case "required": {
      const refuse = `d${decodes.push(refusalOf(shape) as Decode) - 1}`;
      const isAbsent = [...shape.presence.map(isNull), ...shape.keys.map(isValue)].join(" && ");
      return `(${isAbsent} ? ${refuse}(r) : ${sourceOf(shape.row, reading, decodes)})`;
    }
    case "object": {
      const { make } = shape;
      const literal = (fields: Fields) =>
        `{ ${fields.map(([name, part]) => `${sourceKey(name)}: ${sourceOf(part, reading, decodes)}`).join(", ")} }`;
      const own = make === undefined ? shape.fields : shape.fields.slice(0, shape.own);
      const related = shape.fields.slice(own.length);
      const made = make === undefined ? literal(own) : `d${decodes.push(make as Decode) - 1}(${literal(own)})`;
      const object = related.length === 0 ? made : `Object.assign(${made}, ${literal(related)})`;
      if (shape.presence === undefined) return object;
      return `(${shape.presence.map(isNull).join(" && ")} ? null : ${object})`;
    }
    default:
      return shape satisfies never;
  }
}

/** Makes rows without generating code: slower, for places that forbid it. */
function closureOf(shape: Shape, reading: Reading): RowConstructor {
  switch (shape.kind) {
    case "value": {
      const { slot } = shape;
      const decode = reading.decodeFor(shape.type);
      if (decode === undefined && isLooked(shape.type, reading.dialect))
        return (row) => {
          const wire = row[slot];
          return typeof wire === "string" || (wire === null && shape.isNullable) ? wire : refuseOther(wire as Wire);
        };
      if (!shape.isNullable) return (row) => (decode ?? ((wire) => wire))(row[slot] ?? refuseNull());
      if (decode === undefined) return (row) => row[slot];
      return (row) => {
        const wire = row[slot] as Wire;
        return wire === null ? null : decode(wire);
      };
    }
    case "related":
      return shape.cardinality === "many" ? () => [] : () => (shape.cardinality === "count" ? 0 : null);
    case "required": {
      const [refuse, make] = [refusalOf(shape), closureOf(shape.row, reading)];
      return (row) =>
        shape.presence.every((slot) => row[slot] === null) && shape.keys.every((slot) => row[slot] !== null)
          ? refuse(row)
          : make(row);
    }
    case "object": {
      const parts = shape.fields.map(([name, part]) => [name, closureOf(part, reading)] as const);
      const { presence, make } = shape;
      const isMissing = (row: readonly Wire[]) => presence?.every((slot) => row[slot] === null) === true;
      const plain = (row: readonly Wire[], some: typeof parts) =>
        Object.fromEntries(some.map(([name, partOf]) => [name, partOf(row)]));
      if (make !== undefined) {
        const [own, related] = [parts.slice(0, shape.own), parts.slice(shape.own ?? parts.length)];
        return (row) => (isMissing(row) ? null : Object.assign(make(plain(row, own)), plain(row, related)));
      }
      return (row) => (isMissing(row) ? null : plain(row, parts));
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

/** How many sources are kept; a program has far fewer shapes than that, unless it makes them up as it goes. */
const most = 1000;

/** Gives the constructor of a shape; its source is compiled once, where code may be generated. */
export function rowConstructors(dialect: Dialect, generateCode: boolean): (shape: Shape) => RowConstructor {
  const reading: Reading = { dialect, decodeFor: decodersOf(dialect) };
  if (!generateCode) return (shape) => closureOf(shape, reading);
  const factories = new Map<string, (...decodes: Decode[]) => RowConstructor>();
  return (shape) => {
    const decodes: Decode[] = [];
    const source = sourceOf(shape, reading, decodes);
    let factory = factories.get(source);
    if (factory === undefined) {
      const names = decodes.map((_, i) => `d${i}`);
      factory = new Function(...names, `return (r) => (${source});`) as (...decodes: Decode[]) => RowConstructor;
      if (factories.size >= most) factories.clear();
      factories.set(source, factory);
    }
    return factory(...decodes);
  };
}
