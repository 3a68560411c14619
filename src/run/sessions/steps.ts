import type { Request, WireRows } from "./driver.js";

/** Work that does not need each other's rows: it may be done at once, or in any order. */
export interface Branches {
  readonly branches: readonly Steps<void>[];
}

/**
 * Work that asks for statements to be sent and goes on with their rows; branches are answered by no rows, once all of
 * them are done.
 */
export type Steps<R> = Generator<Request | Branches, R, WireRows>;
