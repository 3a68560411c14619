import type { Scalar, ValueType } from "../../../columns/index.js";
import type { WireRules } from "../dialect.js";
import { fromHex, gatheredJson, jsonList, listToJson, looseDecoder, type Wire } from "../wire.js";

/** A value as the driver takes it. */
export function wireOf(value: Scalar, type: ValueType): Wire {
  if (typeof value === "boolean") return Number(value);
  if (typeof value === "bigint") return value.toString();
  if (Array.isArray(value)) return listToJson(value);
  return type.kind === "timestamp" && value !== null
    ? (value as string).replace("T", " ").replace("Z", "")
    : (value as Wire);
}

/** As the driver gives whole numbers: as a text where a number does not hold all digits. */
const wholeOnWire = (part: Wire): Wire => (part === null || !Number.isSafeInteger(Number(part)) ? part : Number(part));

/** How values go to MariaDB and come from it. */
export const mariadbWire: WireRules = {
  firstPosition: 1,
  encoder: (type) =>
    ["boolean", "bigint", "list", "timestamp"].includes(type.kind) ? (value) => wireOf(value, type) : undefined,
  encode: (parameter) =>
    parameter.kind === "list"
      ? jsonList(parameter.values.map((value) => wireOf(value, parameter.type)))
      : wireOf(parameter.value, parameter.type),
  encodeKeys: (_parameter, keys) => jsonList(keys.map((key) => (key.length === 1 ? (key[0] as Wire) : key))),
  fromJson: ({ kind }) => {
    if (kind === "bytes") return (part) => fromHex(part as string, 0);
    return kind === "bigint" ? wholeOnWire : undefined;
  },
  gathered: (list, element) => gatheredJson(list, mariadbWire.fromJson(element, false)),
  keyOnWire: (value, type) => (type.kind === "bigint" ? wholeOnWire(wireOf(value, type)) : wireOf(value, type)),
  isTextSure: false,
  decoder: looseDecoder,
};
