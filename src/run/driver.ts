import type { DialectName, Wire } from "../sql/index.js";
/** Rows as they came over the wire, each an array in the order of the select's items. */
export type WireRows = readonly (readonly Wire[])[];

/** One statement with what belongs to its placeholders. */
export interface Request {
  readonly text: string;
  readonly parameters: readonly Wire[];
  /** Whether it is unlikely to be sent again, so that preparing it would be in vain. */
  readonly once?: boolean;
  /** Whether it gives no rows of its own, and is to be answered by one row with the number of those that it wrote. */
  readonly counts?: boolean;
  /** Its one row has all rows as one JSON value, to be answered as rows; where that is too long, this text gives them. */
  readonly unpacked?: string;
}

/** Sends one statement. Who has the answer at once gives it at once. */
export type Run = (request: Request) => WireRows | Promise<WireRows>;

/**
 * What the library asks of an engine. The only part that knows a driver package; errors come out of
 * it as GemachError.
 */
export interface Driver {
  readonly dialect: DialectName;
  /** Which build of the engine it is, where that makes a difference. */
  readonly variant?: "in-process";
  /** Whether answers come at once rather than as promises. */
  readonly answersAtOnce: boolean;
  readonly run: Run;
  /**
   * Does the work in one transaction: all or nothing. `isSnapshot`: it only reads, and all of its
   * statements see one state of the data.
   */
  together<R>(work: (run: Run) => R | Promise<R>, isSnapshot?: boolean): R | Promise<R>;
}
