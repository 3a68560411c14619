import { atScale, decimalText, parseDecimal } from "./decimal.js";

/** The whole number of 32 bits that a text says; undefined where it says none. */
export function wholeIn(text: string): number | undefined {
  if (!/^[+-]?\d{1,18}$/.test(text)) return undefined;
  const number = Number(text);
  return number >= -2_147_483_648 && number <= 2_147_483_647 ? number + 0 : undefined;
}

/**
 * The decimal that a text says, with at most so many digits before the point and so many after it; undefined where it
 * says none.
 */
export function decimalIn(text: string, whole: number, scale: number): string | undefined {
  const [, sign, before = "", after = ""] = /^([+-]?)0*(\d*)(?:\.(\d*))?$/.exec(text) ?? [];
  if (sign === undefined || !/\d/.test(text) || before.length > whole) return undefined;
  const found = atScale(parseDecimal(`${before === "" ? "0" : before}.${after}`), scale);
  return decimalText(sign === "-" ? { ...found, units: -found.units } : found);
}
