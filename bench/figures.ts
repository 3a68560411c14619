/** The value in the middle. */
export const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[values.length >> 1] ?? Number.NaN;

/** A figure for several measurements, their median by default, with the least and the most of them. */
export const spread = (values: readonly number[], figure = median(values)): string =>
  `${figure.toFixed(2)} (${Math.min(...values).toFixed(2)} to ${Math.max(...values).toFixed(2)})`;

/** How long work takes. */
export async function milliseconds(work: () => Promise<unknown>): Promise<number> {
  const started = performance.now();
  await work();
  return performance.now() - started;
}
