/** An exact decimal: so many units of ten to the power of minus `scale`. */
export interface Decimal {
  readonly units: bigint;
  readonly scale: number;
}

/** Digits such as "-12.50" as a decimal. */
export function parseDecimal(digits: string): Decimal {
  const [whole = "0", fraction = ""] = digits.split(".");
  return { units: BigInt(whole + fraction), scale: fraction.length };
}

/** A decimal as digits, with all of its scale. */
export function decimalText({ units, scale }: Decimal): string {
  const text = String(units);
  if (scale === 0) return text;
  const sign = units < 0n ? "-" : "";
  const isWhole = text.length > scale + sign.length;
  const digits = isWhole ? text : sign + text.slice(sign.length).padStart(scale + 1, "0");
  const point = digits.length - scale;
  return `${digits.slice(0, point)}.${digits.slice(point)}`;
}

/** Converts a number to another scale; half a unit is rounded away from zero, as SQL's `round` does. */
export function atScale({ units, scale }: Decimal, wanted: number): Decimal {
  if (wanted >= scale) return { units: units * 10n ** BigInt(wanted - scale), scale: wanted };
  const divisor = 10n ** BigInt(scale - wanted);
  const half = units < 0n ? -divisor / 2n : divisor / 2n;
  return { units: (units + half) / divisor, scale: wanted };
}

/** The sum of two decimals. */
export function addDecimals(a: Decimal, b: Decimal): Decimal {
  const scale = Math.max(a.scale, b.scale);
  return { units: atScale(a, scale).units + atScale(b, scale).units, scale };
}

/** The product of two decimals. */
export const multiplyDecimals = (a: Decimal, b: Decimal): Decimal => ({
  units: a.units * b.units,
  scale: a.scale + b.scale,
});

/** The quotient of two decimals at a scale, a half rounded away from zero; undefined where the divisor is zero. */
export function divideDecimals(a: Decimal, b: Decimal, scale: number): Decimal | undefined {
  if (b.units === 0n) return undefined;
  const power = scale + b.scale - a.scale;
  const dividend = a.units * 10n ** BigInt(Math.max(0, power));
  const divisor = b.units * 10n ** BigInt(Math.max(0, -power));
  const [over, under] = [dividend < 0n ? -dividend : dividend, divisor < 0n ? -divisor : divisor];
  const units = (2n * over + under) / (2n * under);
  return { units: dividend < 0n === divisor < 0n ? units : -units, scale };
}

/** Less than zero, zero or more than zero: as the first decimal is less than, equal to or more than the second. */
export function compareDecimals(a: Decimal, b: Decimal): number {
  const scale = Math.max(a.scale, b.scale);
  const [left, right] = [atScale(a, scale).units, atScale(b, scale).units];
  return left < right ? -1 : Number(left > right);
}
