import { canonicalInstant, canonicalTime, type Scalar, type ValueType } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import type { Decoder, Wire } from "./dialect.js";
/** A whole number from the wire, where a JavaScript number holds it. */
export const decodeWhole: Decoder = (wire) => {
  const number = Number(wire);
  if (!Number.isSafeInteger(number)) throw new GemachError("VALUE_LOSSY", { kind: "integer" });
  return number;
};

export const decodeBigint: Decoder = (wire) => BigInt(wire as string);

export const decodeDouble: Decoder = (wire) => Number(wire);

const readable = (canonical: string | undefined, kind: string): string => {
  if (canonical === undefined) throw new GemachError("VALUE_UNREADABLE", { kind });
  return canonical;
};

export const decodeTime: Decoder = (wire) => readable(canonicalTime(wire as string), "time");

export const decodeInstant: Decoder = (wire) => readable(canonicalInstant(wire as string), "timestamp");

/** An instant of an engine that stores none: its day and time of day are in UTC. */
export const decodeUtc: Decoder = (wire) =>
  readable(
    canonicalInstant(/[Z+]|-\d\d$/.test((wire as string).slice(19)) ? (wire as string) : `${wire}Z`),
    "timestamp",
  );

/** Bytes as a plain Uint8Array: drivers of Node give a class of its own. */
export const decodeBytes: Decoder = (wire) => {
  const { buffer, byteOffset, byteLength } = wire as Uint8Array;
  return new Uint8Array(buffer as ArrayBuffer, byteOffset, byteLength);
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

/** A column's list as JSON text, for engines without arrays. */
export const listToJson = (values: readonly Scalar[]): string =>
  JSON.stringify(values, (_, value) => (typeof value === "bigint" ? value.toString() : value));

/** A column's list from JSON text. */
export function listDecoder({ element }: ValueType): Decoder {
  const isBigint = element?.kind === "bigint";
  return (wire) => {
    const values = JSON.parse(wire as string) as Scalar[];
    return isBigint ? values.map((value) => BigInt(value as string)) : values;
  };
}
