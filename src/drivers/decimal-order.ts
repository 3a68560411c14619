/**
 * A text that sorts as the decimal does: a sign, the number of digits before the point, the digits.
 * A negative one has each digit's complement to nine, and an end that sorts after every digit.
 */
export function decimalOrder(decimal: string | number): string {
  const [, sign = "", whole = "", fraction = ""] = /^(-?)0*(\d*)(?:\.(\d*?)0*)?$/.exec(String(decimal)) ?? [];
  const digits = `${String(whole.length).padStart(3, "0")}${whole}${fraction}`;
  if (sign === "") return `1${digits}`;
  return `0${digits.replace(/\d/g, (digit) => String(9 - Number(digit)))}~`;
}
