import type { ValueType } from "../../../columns/index.js";
import type { Aggregates, PrintedAggregate } from "../../print/parts.js";
import { inJson } from "./in-json.js";
import { columnType } from "./types.js";

const distinct = (isDistinct: boolean): string => (isDistinct ? "distinct " : "");

/** A text between quotes where the engine takes nothing else: bytes where one of its characters may mean more. */
const separatorText = (text: string): string =>
  /^[\w ,;:|/.+-]*$/.test(text)
    ? `'${text}'`
    : `0x${(encodeURIComponent(text).match(/%..|./g) ?? []).map(hexOf).join("")}`;

/** A byte of a text in UTF-8, as a URI has it, in two digits. */
const hexOf = (byte: string): string => (byte.length > 1 ? byte.slice(1) : byte.charCodeAt(0).toString(16));

/**
 * The value in a place, from 1, of all that are there in their order; missing where there is none. The engine has this
 * for windows alone.
 */
const nth = ({ operand }: PrintedAggregate, place: () => string): string => {
  const all = `group_concat(${operand()} order by ${operand()} separator ',')`;
  return `substring_index(substring_index(${all}, ',', ${place()}), ',', -1)`;
};

/** A value's type where a text is cast to it. */
const castType = (type: ValueType): string => {
  if (type.kind === "integer" || type.kind === "identity" || type.kind === "bigint") return "signed";
  return type.kind === "numeric" || type.kind === "double" ? columnType(type, false) : "";
};

const cast = (text: string, type: ValueType): string => {
  const to = type.kind === "date" || type.kind === "time" ? columnType(type, false) : castType(type);
  return `cast(${text} as ${to === "" ? "datetime(6)" : to})`;
};

/** Aggregates as MariaDB, 10.6 or later, says them. */
export const mariadbAggregates: Aggregates = {
  double: "double",
  // A quotient has four digits more than its dividend.
  quotient: (dividend, divisor, scale, digits) =>
    `round(cast(${dividend} as decimal(65, ${Math.min(38, scale + digits)})) / ${divisor}, ${scale})`,
  joined: ({ isDistinct, operand, separator = "", order }) =>
    `group_concat(${distinct(isDistinct)}${operand()}${order()} separator ${separatorText(separator)})`,
  values: ({ isDistinct, operand, order, type }) =>
    `coalesce(json_arrayagg(${distinct(isDistinct)}${inJson(operand(), type.element as ValueType)}${order()}), '[]')`,
  median: (of) => {
    const [low, high] = [() => `(count(${of.operand()}) + 1) div 2`, () => `count(${of.operand()}) div 2 + 1`];
    return `(${nth(of, low)} + ${nth(of, high)}) / 2`;
  },
  percentile: (of) =>
    cast(
      nth(of, () => `greatest(1, ceil(${of.fraction}e0 * count(${of.operand()})))`),
      of.type,
    ),
  stddev: ({ operand, isOfAll }) => `stddev_${isOfAll ? "pop" : "samp"}(${operand()})`,
};
