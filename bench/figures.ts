/** The value in the middle. */
export const median = (values: readonly number[]): number =>
  [...values].sort((a, b) => a - b)[values.length >> 1] ?? Number.NaN;

/** The median of several measurements, with the least and the most of them. */
export const spread = (values: readonly number[]): string =>
  `${median(values).toFixed(2)} (${Math.min(...values).toFixed(2)} to ${Math.max(...values).toFixed(2)})`;
