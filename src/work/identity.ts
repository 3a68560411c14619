import { type ResolvedEntity, valueAt } from "../expression/index.js";

/** What tells a row from the others of its entity, of values in code: equal for equal keys. */
export function identityOf({ key }: ResolvedEntity, row: object): unknown {
  const first = key[0];
  if (first === undefined) return undefined;
  if (key.length === 1) {
    const value = valueAt(row, first.steps);
    return typeof value === "object" ? keyText(value) : value;
  }
  const parts = key.map(({ steps }) => valueAt(row, steps));
  return parts.some((part) => part === undefined || part === null) ? undefined : parts.map(keyText).join("\u0000");
}

const keyText = (value: unknown): string =>
  value instanceof Date ? value.toISOString() : `${typeof value}${JSON.stringify(value, bigintText)}`;

const bigintText = (_: string, value: unknown): unknown => (typeof value === "bigint" ? `${value}n` : value);
