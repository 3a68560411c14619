import type { DoneTransaction, SentStatement } from "../run/index.js";
import type { Dialect, PlanStep } from "../sql/index.js";
import type { ReadTally } from "./tally.js";

/** A statement of a ledger. */
export interface LedgerStatement extends SentStatement {
  /** About how many bytes its rows have: a character counts as one, a number as eight. */
  readonly bytes: number;
  /** How many objects were made of its rows; undefined where something else was. */
  readonly objects?: number;
  /** How many of them are those that the others belong to. */
  readonly owners?: number;
  /** The plan by which the database executes it, of a ledger with `plans`. */
  readonly plan?: PlanStep;
}

/** From when on something is a finding. */
export interface Thresholds {
  /** So many statements, or calls, of one line of code are a loop. */
  readonly loop: number;
  /** A table of so many rows is too large to be looked at whole. */
  readonly tableRows: number;
  /** So many rows are too many for a list without a limit. */
  readonly listRows: number;
  /** So many rows that nobody reads are worth a word. */
  readonly unreadRows: number;
  /** A statement is slow that takes so many milliseconds. */
  readonly slow: number;
  /** A transaction is long that is open for so many milliseconds. */
  readonly transaction: number;
  /** Rows are repeated where there are so many times as many as owners. */
  readonly fanOut: number;
  /** An estimate is far off that differs from the truth by such a factor. */
  readonly misjudged: number;
}

/** The thresholds where nothing else is said. */
export const usualThresholds: Thresholds = {
  loop: 5,
  tableRows: 1000,
  listRows: 1000,
  unreadRows: 20,
  slow: 1000,
  transaction: 1000,
  fanOut: 20,
  misjudged: 10,
};

/** All that a ledger knows when findings are looked for. */
export interface LedgerRecord {
  readonly statements: readonly LedgerStatement[];
  readonly transactions: readonly DoneTransaction[];
  /** The columns and relations that code read of the rows that it got, of a ledger with `reads`. */
  readonly reads: readonly ReadTally[];
  readonly thresholds: Thresholds;
  /** The dialect of the database. */
  readonly dialect: Dialect;
}
