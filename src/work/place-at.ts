/** Puts a value into a row, also inside of a value object. */
export function placeAt(row: Record<string, unknown>, steps: readonly string[], value: unknown): void {
  const first = steps[0] as string;
  if (steps.length === 1) row[first] = value;
  else {
    const inner = (row[first] ?? {}) as Record<string, unknown>;
    row[first] = inner;
    placeAt(inner, steps.slice(1), value);
  }
}
