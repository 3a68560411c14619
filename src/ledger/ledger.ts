import type { AnyDatabase } from "../database/index.js";
import { asyncContext, connectionOf, type SentStatement } from "../run/index.js";
import { findingsOf } from "./findings/finders.js";
import type { Finding } from "./findings/finding.js";
/** The sums of a ledger. */
export interface LedgerTotals {
  readonly statements: number;
  readonly rows: number;
  /** The time spent waiting for the database. */
  readonly milliseconds: number;
}

/** What was sent to a database while some work was done. */
export interface Ledger<R = unknown> {
  readonly label: string;
  /** What the work gave. */
  readonly result: R;
  /** Every statement, in the order in which their answers came. */
  readonly statements: readonly SentStatement[];
  readonly totals: LedgerTotals;
  /** What they show to be wasteful, the costliest first. */
  readonly findings: readonly Finding[];
  /** From the beginning of the work to its end, in milliseconds. */
  readonly milliseconds: number;
}

/** The sums of statements. */
export function totalsOf(statements: readonly SentStatement[]): LedgerTotals {
  const sum = (of: (statement: SentStatement) => number) => statements.reduce((total, one) => total + of(one), 0);
  return { statements: statements.length, rows: sum((s) => s.rows), milliseconds: sum((s) => s.milliseconds) };
}

/** Ledgers inside each other: a statement belongs to all that enclose it. */
interface OpenLedger {
  readonly statements: SentStatement[];
  readonly enclosing: OpenLedger | undefined;
}

const context = asyncContext<OpenLedger>();
let howManyOpen = 0;

/** Ends the following of calls with the last ledger: in Node 20 each promise of the process takes longer meanwhile. */
function close(): void {
  howManyOpen--;
  if (howManyOpen === 0) context?.disable();
}

function encloses(ledger: OpenLedger, inner: OpenLedger | undefined): boolean {
  for (let open = inner; open !== undefined; open = open.enclosing) if (open === ledger) return true;
  return false;
}

/**
 * Runs `work` and records every statement that it sends to the database. Where the platform can
 * follow asynchronous calls (Node and the like) the statements of other work that goes on at the
 * same time stay out; elsewhere all of the database's statements in that time are recorded.
 */
export async function withLedger<R>(db: AnyDatabase, label: string, work: () => R | Promise<R>): Promise<Ledger<R>> {
  const { sender, clock } = connectionOf(db, "withLedger");
  const open: OpenLedger = { statements: [], enclosing: context?.getStore() };
  const stop = sender.watch.add({
    ends: (statement) => {
      if (context === undefined || encloses(open, context.getStore())) open.statements.push(statement);
    },
  });
  const started = clock();
  howManyOpen++;
  try {
    const result = await (context === undefined ? work() : context.run(open, work));
    const milliseconds = clock() - started;
    const { statements } = open;
    const totals = totalsOf(statements);
    let findings: readonly Finding[] | undefined;
    return {
      ...{ label, result, statements, totals, milliseconds },
      // Looked for when somebody asks.
      get findings() {
        findings ??= findingsOf(statements);
        return findings;
      },
    };
  } finally {
    stop();
    close();
  }
}
