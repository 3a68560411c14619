import {
  type ColumnKind,
  canonicalInstant,
  canonicalLocal,
  canonicalOf,
  canonicalTime,
  derived,
  digitsIn,
  isDay,
  type Scalar,
  type ValueType,
} from "../../columns/index.js";
import { GemachError } from "../../errors/index.js";

/** A value on the wire in either direction: all that a driver has to take and may return. */
export type Wire = null | boolean | number | bigint | string | Uint8Array;

/** The keys of another statement's rows, as they came over the wire. */
export type Keys = readonly (readonly Wire[])[];

/** Makes a value of what came over the wire; it is never asked about null. */
export type Decoder = (wire: Wire) => Scalar;

/** A decoder for each kind that needs no more than its kind; undefined: values are as they come. */
export type Decoders = Readonly<Record<Exclude<ColumnKind, "list" | "choice" | "numeric">, Decoder | undefined>>;

/** Makes what goes over the wire of a value, null too. */
export type Encoder = (value: Scalar) => Wire;

export const unreadable = (kind: ColumnKind): never => {
  throw new GemachError("VALUE_UNREADABLE", { kind });
};

/** A text; a driver gives bytes where a column holds them. */
export const decodeText: Decoder = (wire) => (typeof wire === "string" ? wire : unreadable("text"));

const wholeDigits = /^-?\d+$/;
const minus = 45;
const point = 46;
const zero = 48;

/** So many digits are a whole number that a JavaScript number surely holds. */
const sureDigits = 15;

/** A whole number from the wire, where a JavaScript number holds it. */
export const decodeWhole: Decoder = (wire) => {
  if (typeof wire === "number" && Number.isSafeInteger(wire)) return wire;
  return typeof wire === "string" ? wholeOf(wire) : wholeBeyond(wire);
};

function wholeOf(text: string): number {
  const from = text.charCodeAt(0) === minus ? 1 : 0;
  const { length } = text;
  if (length <= from || length - from > sureDigits) return wholeBeyond(text);
  const number = digitsIn(text, from, length);
  if (number < 0) return unreadable("integer");
  return from === 0 ? number : 0 - number;
}

/** What is none, or one that a JavaScript number may not hold. */
function wholeBeyond(wire: Wire): number {
  const isWhole = typeof wire === "string" ? wholeDigits.test(wire) : Number.isInteger(Number(wire));
  if (!isWhole || typeof wire === "boolean") return unreadable("integer");
  if (!Number.isSafeInteger(Number(wire))) throw new GemachError("VALUE_LOSSY", { kind: "integer" });
  return Number(wire);
}

export const decodeBigint: Decoder = (wire) => {
  if (typeof wire === "string" ? wholeDigits.test(wire) : typeof wire === "bigint" || Number.isSafeInteger(wire))
    return BigInt(wire as string);
  return unreadable("bigint");
};

/** A finite number, of a driver or in digits. */
export const decodeDouble: Decoder = (wire) => {
  const number = typeof wire === "string" && /^[-+\d]/.test(wire) ? Number(wire) : wire;
  return typeof number === "number" && Number.isFinite(number) ? number : unreadable("double");
};

/** Digits of an exact decimal, with all of the type's scale: an engine may store fewer. */
export const numericDecoder = ({ scale = 0 }: ValueType): Decoder => {
  return (wire) => {
    const text = decodeNumeric(wire);
    const point = text.indexOf(".");
    const missing = scale - (point < 0 ? 0 : text.length - point - 1);
    return missing <= 0 ? text : `${text}${point < 0 ? "." : ""}${"0".repeat(missing)}`;
  };
};

const decodeNumeric = (wire: Wire): string => {
  const text = String(wire);
  const from = text.charCodeAt(0) === minus ? 1 : 0;
  let points = 0;
  for (let i = from; i < text.length; i++) {
    const unit = text.charCodeAt(i);
    if (unit === point && i > from && i < text.length - 1) points++;
    else if (unit < zero || unit > zero + 9) return unreadable("numeric");
  }
  return text.length > from && points < 2 ? text : unreadable("numeric");
};

/** A truth value of an engine that has none. */
export const decodeTruth: Decoder = (wire) => (wire === 1 ? true : wire === 0 ? false : unreadable("boolean"));

export const decodeDate: Decoder = (wire) => (typeof wire === "string" && isDay(wire) ? wire : unreadable("date"));

export const decodeUuid: Decoder = (wire) =>
  typeof wire === "string" && /^[\da-f]{8}-(?:[\da-f]{4}-){3}[\da-f]{12}$/i.test(wire) ? wire : unreadable("uuid");

/** One of the texts that a choice has. */
export const choiceDecoder = ({ choices }: ValueType): Decoder => {
  const known = new Set<Wire>(choices);
  return (wire) => (known.has(wire) ? (wire as string) : unreadable("choice"));
};

const readable = (canonical: string | undefined, kind: ColumnKind): string => canonical ?? unreadable(kind);
const ofText =
  (kind: ColumnKind, canonical: (text: string) => string | undefined): Decoder =>
  (wire) =>
    readable(typeof wire === "string" ? canonical(wire) : undefined, kind);

export const decodeTime: Decoder = ofText("time", canonicalTime);

export const decodeInstant: Decoder = ofText("timestamp", canonicalInstant);

export const decodeLocal: Decoder = ofText("localTimestamp", canonicalLocal);

/** An instant of an engine that stores none: its day and time of day are in UTC. */
export const decodeUtc: Decoder = ofText("timestamp", (text) =>
  canonicalInstant(/[Z+]|-\d\d$/.test(text.slice(19)) ? text : `${text}Z`),
);

/** Bytes as a plain Uint8Array: drivers of Node give a class of its own. */
export const decodeBytes: Decoder = (wire) => {
  if (!(wire instanceof Uint8Array)) return unreadable("bytes");
  return new Uint8Array(wire.buffer as ArrayBuffer, wire.byteOffset, wire.byteLength);
};

const hexOf = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, "0"));

/** Bytes as hexadecimal digits. */
export function toHex(bytes: Uint8Array): string {
  const parts = new Array<string>(bytes.length);
  for (let i = 0; i < bytes.length; i++) parts[i] = hexOf[bytes[i] as number] as string;
  return parts.join("");
}

const digit = (code: number): number => (code < 58 ? code - 48 : (code | 32) - 87);

/** Hexadecimal digits as bytes, from a position on. */
export function fromHex(text: string, from: number): Uint8Array {
  const bytes = new Uint8Array((text.length - from) >> 1);
  for (let i = 0, at = from; i < bytes.length; i++, at += 2)
    bytes[i] = digit(text.charCodeAt(at)) * 16 + digit(text.charCodeAt(at + 1));
  return bytes;
}

/** Values as one JSON list; whole numbers of 64 bits with all of their digits. */
export const jsonList = (values: readonly (Wire | readonly Wire[])[]): string =>
  `[${values.map((value) => (Array.isArray(value) ? jsonList(value) : jsonPart(value as Wire))).join(",")}]`;

const jsonPart = (value: Wire): string => (typeof value === "bigint" ? value.toString() : JSON.stringify(value));

/** A list's value as JSON has it: digits of whole numbers of 64 bits, and of bytes. */
const inList = (value: Scalar): unknown => {
  if (Array.isArray(value)) return value.map(inList);
  if (value instanceof Uint8Array) return toHex(value);
  return typeof value === "bigint" ? value.toString() : value;
};

/** A column's list as JSON text, for engines without arrays. */
export const listToJson = (values: readonly Scalar[]): string => JSON.stringify(values.map(inList));

/** A type as the wire has it: nothing is made of its values yet, and nothing is left out of them. */
const plainOf: (type: ValueType) => ValueType = derived(({ codec: _, element, ...type }: ValueType) => {
  const plain = type.kind === "timestamp" ? { ...type, isText: true } : type;
  return element === undefined ? plain : { ...plain, element: plainOf(element) };
});

/** A list whose values are all of its kind. */
export function checkedList(values: unknown, type: ValueType): readonly Scalar[] {
  return canonicalOf(values, plainOf(type)) === undefined ? unreadable("list") : (values as readonly Scalar[]);
}

const hexDigits = /^(?:[\da-f]{2})*$/i;

/** A list whose whole numbers of 64 bits, and bytes, are digits in JSON. */
const outOfList = (values: unknown, { element, kind }: ValueType): unknown => {
  if (element !== undefined) return Array.isArray(values) ? values.map((value) => outOfList(value, element)) : values;
  if (kind === "bytes") return typeof values === "string" && hexDigits.test(values) ? fromHex(values, 0) : values;
  return kind === "bigint" && wholeDigits.test(values as string) ? BigInt(values as string) : values;
};

/** The values of a list of JSON, or of its text; `fromJson`: what makes of each what would come over the wire. */
export function gatheredJson(
  list: Wire | readonly Wire[],
  fromJson: ((part: Wire) => Wire) | undefined,
): readonly Wire[] {
  const values = typeof list === "string" ? (JSON.parse(list) as unknown) : list;
  if (!Array.isArray(values)) return unreadable("list");
  return fromJson === undefined ? values : values.map((value) => (value === null ? null : fromJson(value)));
}

/** A column's list from JSON text. */
export function listDecoder(type: ValueType): Decoder {
  return (wire) => {
    let values: unknown;
    try {
      values = JSON.parse(wire as string);
    } catch {
      return unreadable("list");
    }
    return checkedList(outOfList(values, type), type);
  };
}

/** The decoders of engines that have neither truth values nor instants, and a driver that gives numbers. */
const looseDecoders: Decoders = {
  identity: decodeWhole,
  integer: decodeWhole,
  bigint: decodeBigint,
  double: decodeDouble,
  boolean: decodeTruth,
  date: decodeDate,
  uuid: decodeUuid,
  json: decodeText,
  time: decodeTime,
  timestamp: decodeUtc,
  localTimestamp: decodeLocal,
  bytes: decodeBytes,
  text: undefined,
  varchar: undefined,
};

/** What makes values of what the driver of such an engine gives; undefined where that is the very value. */
export const looseDecoder = (type: ValueType): Decoder | undefined => {
  if (type.kind === "list") return listDecoder(type);
  if (type.kind === "numeric") return numericDecoder(type);
  return type.kind === "choice" ? choiceDecoder(type) : looseDecoders[type.kind];
};
