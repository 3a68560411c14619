import type { ColumnKind, Scalar, ValueType } from "../../../columns/index.js";
import { GemachError } from "../../../errors/index.js";
import type { WireRules } from "../dialect.js";
import {
  checkedList,
  choiceDecoder,
  type Decoder,
  type Decoders,
  decodeBigint,
  decodeDate,
  decodeDouble,
  decodeInstant,
  decodeLocal,
  decodeTime,
  decodeUuid,
  decodeWhole,
  fromHex,
  numericDecoder,
  toHex,
  unreadable,
  type Wire,
} from "../wire.js";
import { arrayLiteral, arrayText, parseArray } from "./array.js";

const decoders: Decoders = {
  identity: decodeWhole,
  integer: decodeWhole,
  bigint: decodeBigint,
  double: decodeDouble,
  boolean: (wire) => {
    if (wire !== "t" && wire !== "f") throw new GemachError("VALUE_UNREADABLE", { kind: "boolean" });
    return wire === "t";
  },
  date: decodeDate,
  uuid: decodeUuid,
  time: decodeTime,
  timestamp: decodeInstant,
  localTimestamp: decodeLocal,
  bytes: (wire) => {
    if (!/^\\x(?:[\da-f]{2})*$/.test(wire as string)) throw new GemachError("VALUE_UNREADABLE", { kind: "bytes" });
    return fromHex(wire as string, 2);
  },
  // A driver gives texts for these whatever the server has.
  text: undefined,
  varchar: undefined,
  json: undefined,
};

function decoder(type: ValueType): Decoder | undefined {
  if (type.kind === "choice") return choiceDecoder(type);
  if (type.kind === "numeric") return numericDecoder(type);
  if (type.kind !== "list") return decoders[type.kind];
  let leaf = type.element as ValueType;
  while (leaf.element !== undefined) leaf = leaf.element;
  const decode = decoder(leaf) ?? ((wire: Wire) => wire);
  return (wire) => {
    const values = parseArray(wire as string, decode);
    if (values === undefined) throw new GemachError("VALUE_UNREADABLE", { kind: "list" });
    return checkedList(values, type);
  };
}

/** A value as the text that the server reads. */
function toText(value: Scalar): string | null {
  if (value === null) return null;
  if (value instanceof Uint8Array) return `\\x${toHex(value)}`;
  return Array.isArray(value) ? arrayText(value, toText) : String(value);
}

const textOrNull = (wire: Wire | undefined): string | null =>
  wire === null || wire === undefined ? null : String(wire);

/** Drivers write numbers and truth values as text themselves. */
export const toWire = (value: Scalar): Wire =>
  typeof value === "number" || typeof value === "boolean" ? value : toText(value);

/** How values go to PostgreSQL and come from it: as text. */
export const postgresWire: WireRules = {
  firstPosition: 1,
  encoder: ({ kind }) => (kind === "bytes" || kind === "bigint" || kind === "list" ? toText : undefined),
  encode: (parameter) =>
    parameter.kind === "list" ? arrayLiteral(parameter.values.map(toText)) : toWire(parameter.value),
  encodeKeys: ({ part }, keys) => arrayLiteral(keys.map((key) => textOrNull(key[part === "all" ? 0 : part]))),
  fromJson: ({ kind }, isKey) => {
    if (kind === "boolean") return (part) => (part === true ? "t" : "f");
    return isKey && (kind === "integer" || kind === "identity") ? String : undefined;
  },
  gathered: (list) => (parseArray(list as string, (text) => text) ?? unreadable("list")) as readonly Wire[],
  keyOnWire: (value) => (typeof value === "boolean" ? (value ? "t" : "f") : toText(value)),
  isTextSure: true,
  decoder,
};

/**
 * PGlite takes a byte order mark at the beginning of a text for a mark of its encoding, and drops it when the
 * text is read (0.5): what would come back short is refused.
 */
function refuseMark(value: Scalar, kind: ColumnKind): void {
  if (Array.isArray(value)) for (const part of value) refuseMark(part, kind);
  else if (typeof value === "string" && kind !== "json" && value.startsWith("\ufeff"))
    throw new GemachError("ENGINE_UNABLE", {
      engine: "PGlite",
      what: "give back a text that begins with a byte order mark (U+FEFF)",
      instead: "Take the mark from the text: it says nothing of what follows.",
    });
}

/** The wire of PostgreSQL in the process. */
export const pgliteWire: WireRules = {
  ...postgresWire,
  encoder: (type) => {
    const encode = postgresWire.encoder(type);
    return (value) => {
      refuseMark(value, type.kind);
      return encode === undefined ? (value as Wire) : encode(value);
    };
  },
  encode: (parameter) => {
    refuseMark(parameter.kind === "list" ? parameter.values : parameter.value, parameter.type.kind);
    return postgresWire.encode(parameter);
  },
};
