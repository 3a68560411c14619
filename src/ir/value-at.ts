/**
 * The value that a row has at the end of names, one inside of the other; undefined where there is nothing on the way.
 */
export function valueAt(row: object | null | undefined, steps: readonly string[]): unknown {
  let at: unknown = row;
  for (const name of steps) at = (at as Readonly<Record<string, unknown>> | null | undefined)?.[name];
  return at;
}
