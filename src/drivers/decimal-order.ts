/**
 * A text that sorts as the decimal does: a sign, the number of digits before the point, the digits.
 * A negative one has each digit's complement to nine, and an end that sorts after every digit.
 */
export function decimalOrder(decimal: string | number): string {
  const [, sign = "", whole = "", fraction = ""] = /^(-?)0*(\d*)(?:\.(\d*?)0*)?$/.exec(String(decimal)) ?? [];
  const digits = `${String(whole.length).padStart(3, "0")}${whole}${fraction}`;
  if (sign === "") return `1${digits}`;
  return `0${complement(digits)}~`;
}

const complement = (digits: string): string => digits.replace(/\d/g, (digit) => String(9 - Number(digit)));

/** The decimal that such a text was made of, without zeros at its end. */
export function decimalOf(order: string): string {
  const isNegative = order.startsWith("0");
  const digits = isNegative ? complement(order.slice(1, -1)) : order.slice(1);
  const point = 3 + Number(digits.slice(0, 3));
  const number = `${digits.slice(3, point) || "0"}.${digits.slice(point)}`.replace(/\.$/, "");
  return isNegative ? `-${number}` : number;
}
