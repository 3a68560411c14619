import { comparedKind, type Scalar, type ValueType } from "../../../columns/index.js";
import type { WireRules } from "../dialect.js";
import { fromHex, gatheredJson, jsonList, listToJson, looseDecoder, type Wire } from "../wire.js";

/** A value as the driver takes it. */
export function wireOf(value: Scalar): Wire {
  if (typeof value === "boolean") return Number(value);
  return Array.isArray(value) ? listToJson(value) : (value as Wire);
}

/** What `quote` wrote: X'00FF', digits, 'a text', or NULL; anything else than bytes is for the decoder to refuse. */
const fromQuoted = (part: Wire): Wire => {
  if (part === "NULL" || typeof part !== "string") return part === "NULL" ? null : part;
  return /^X'(?:[\dA-F]{2})*'$/.test(part) ? fromHex(part.slice(0, -1), 2) : part;
};

const fromDigits = (part: Wire): Wire => {
  if (part === "NULL") return null;
  return typeof part === "string" && part.startsWith("'") ? part.slice(1, -1).replaceAll("''", "'") : Number(part);
};

/** Keys come as text where the wire would lose digits; numbers are compared with numbers. */
const keyPart = (wire: Wire, type: ValueType | undefined): Wire =>
  type?.kind === "bigint" ? BigInt(wire as string) : wire;

/** How values go to SQLite and come from it. */
export const sqliteWire: WireRules = {
  firstPosition: 0,
  keyForm: (key) => (/^-?\d{1,15}$/.test(key) ? Number(key) : key),
  encoder: ({ kind }) => (kind === "boolean" || kind === "list" ? wireOf : undefined),
  encode: (parameter) => {
    if (parameter.kind === "list") return jsonList(parameter.values.map(wireOf));
    const wire = wireOf(parameter.value);
    // A driver sends every number as a double, whose arithmetic is another.
    return parameter.isTyped === true && typeof wire === "number" && comparedKind(parameter.type.kind) === "integer"
      ? BigInt(wire)
      : wire;
  },
  encodeKeys: ({ types }, keys) =>
    jsonList(
      keys.map((key) =>
        key.length === 1 ? keyPart(key[0] as Wire, types[0]) : key.map((part, i) => keyPart(part, types[i])),
      ),
    ),
  fromJson: ({ kind }) => (kind === "bytes" ? fromQuoted : kind === "double" ? fromDigits : undefined),
  gathered: (list, element) => gatheredJson(list, sqliteWire.fromJson(element, false)),
  keyOnWire: (value) => (typeof value === "bigint" ? value.toString() : wireOf(value)),
  isTextSure: false,
  decoder: looseDecoder,
};
