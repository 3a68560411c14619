/** The value that a row has at the end of names, one inside of the other; undefined where there is nothing on the way. */
export const valueAt = (row: object | null | undefined, steps: readonly string[]): unknown =>
  steps.reduce<unknown>((at, name) => (at as Readonly<Record<string, unknown>> | null | undefined)?.[name], row);
