import type { GivenRow } from "../../plan/index.js";
import type { MaybePromise } from "../sessions/driver.js";

/** Rows that come one after the other. */
export type RowSource = Iterable<unknown> | AsyncIterable<unknown>;

/** So many rows, or so many bytes of texts and bytes, about, are held at once. */
const mostRows = 2000;
const mostBytes = 4_000_000;

/** Whether rows come one after the other, rather than in an array. */
export const isSource = (rows: unknown): rows is RowSource =>
  typeof rows === "object" &&
  rows !== null &&
  !Array.isArray(rows) &&
  (Symbol.asyncIterator in rows || Symbol.iterator in rows);

/** What texts and bytes a row holds, about: those of its own properties. */
function bytesOf(row: unknown): number {
  if (typeof row !== "object" || row === null) return 0;
  let sum = 0;
  for (const value of Object.values(row))
    if (typeof value === "string" || value instanceof Uint8Array) sum += value.length;
  return sum;
}

/**
 * Inserts rows as they come, some at a time.
 * @param insert takes some of them, and how many came before.
 * @returns how many there were.
 */
export async function insertInTurn(
  rows: RowSource,
  insert: (some: readonly GivenRow[], before: number) => MaybePromise<unknown>,
  progress: ((inserted: number) => void) | undefined,
): Promise<number> {
  let some: unknown[] = [];
  let bytes = 0;
  let before = 0;
  const send = async (): Promise<void> => {
    const sent = some;
    some = [];
    bytes = 0;
    await insert(sent as readonly GivenRow[], before);
    before += sent.length;
    progress?.(before);
  };
  for await (const row of rows) {
    some.push(row);
    bytes += bytesOf(row);
    if (some.length >= mostRows || bytes >= mostBytes) await send();
  }
  if (some.length > 0) await send();
  return before;
}
