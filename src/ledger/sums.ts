import type { LedgerStatement, Recorded } from "../findings/index.js";
import type { DoneCall } from "../run/index.js";

/** The sums of a ledger; times in milliseconds. */
export interface LedgerTotals {
  readonly statements: number;
  readonly rows: number;
  /** About how many bytes the rows have. */
  readonly bytes: number;
  /** How many objects were made of them. */
  readonly objects: number;
  /** From sending statements to their last rows; of a statement by itself, with its wait for a connection. */
  readonly milliseconds: number;
  /** How long connections were waited for: by statements, by verbs of several, and by transactions. */
  readonly waiting: number;
  /**
   * The time that verbs took beside it: compiling queries, making and assembling objects. Of several that are on their
   * way at once, the time in which none of their statements is.
   */
  readonly assembling: number;
}

/** Statements of one text. */
export interface StatementGroup {
  readonly text: string;
  readonly count: number;
  readonly rows: number;
  readonly milliseconds: number;
  readonly statements: readonly LedgerStatement[];
}

/** How long at least one of some things was going on, in milliseconds. */
function covered(all: readonly { readonly started: number; readonly milliseconds: number }[]): number {
  let [sum, end] = [0, Number.NEGATIVE_INFINITY];
  for (const { started, milliseconds } of all.toSorted((a, b) => a.started - b.started)) {
    sum += Math.max(0, started + milliseconds - Math.max(started, end));
    end = Math.max(end, started + milliseconds);
  }
  return sum;
}

/** The sums of statements, and of the calls that they are of. */
export function totalsOf(
  statements: readonly LedgerStatement[],
  calls: readonly DoneCall[],
  waited: Recorded["waited"] = { calls: 0, transactions: 0 },
): LedgerTotals {
  const sum = <T>(all: readonly T[], of: (one: T) => number) => all.reduce((total, one) => total + of(one), 0);
  const numbers = new Set(calls.map(({ origin }) => origin.call));
  const called = statements.filter(({ origin }) => origin.call !== undefined && numbers.has(origin.call));
  // Calls beside each other wait for each other: that is no time that any of them takes.
  const spent = covered(calls) - covered(called);
  return {
    statements: statements.length,
    rows: sum(statements, (one) => one.rows),
    bytes: sum(statements, (one) => one.bytes),
    objects: sum(statements, (one) => one.objects ?? 0),
    milliseconds: sum(statements, (one) => one.milliseconds),
    waiting: sum(statements, (one) => one.waiting) + waited.calls + waited.transactions,
    assembling: Math.max(0, spent - waited.calls),
  };
}

/** Statements of equal texts together. */
export function textGroups(statements: readonly LedgerStatement[]): readonly StatementGroup[] {
  const groups = new Map<string, LedgerStatement[]>();
  for (const statement of statements) {
    const group = groups.get(statement.text);
    if (group === undefined) groups.set(statement.text, [statement]);
    else group.push(statement);
  }
  return [...groups]
    .map(([text, all]) => ({
      text,
      count: all.length,
      rows: all.reduce((sum, one) => sum + one.rows, 0),
      milliseconds: all.reduce((sum, one) => sum + one.milliseconds, 0),
      statements: all,
    }))
    .toSorted((a, b) => b.count - a.count);
}
