/** Puts a value into a row, also inside of a value object. */
export function placeAt(row: Record<string, unknown>, steps: readonly string[], value: unknown): void {
  const [first, ...rest] = steps as [string, ...string[]];
  if (rest.length === 0) row[first] = value;
  else {
    const inner = (row[first] ?? {}) as Record<string, unknown>;
    row[first] = inner;
    placeAt(inner, rest, value);
  }
}
