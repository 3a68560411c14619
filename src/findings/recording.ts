import {
  asyncContext,
  type Connection,
  type DoneCall,
  type DoneTransaction,
  type Observer,
  type Origin,
  planVerb,
} from "../run/index.js";
import type { LedgerStatement } from "./record.js";
import { type OpenTally, tallyOf } from "./tally.js";

/** What is recorded, as it comes. Recordings are inside each other: a statement belongs to all that enclose it. */
export interface Recorded {
  readonly statements: LedgerStatement[];
  readonly calls: DoneCall[];
  readonly transactions: DoneTransaction[];
  readonly tallies: OpenTally[];
  /** The times that connections were waited for, within verbs and before transactions. */
  readonly waited: { calls: number; transactions: number };
  readonly enclosing: Recorded | undefined;
}

const context = asyncContext<Recorded>();
let howManyOpen = 0;

/** Ends the following of calls with the last ledger: in Node 20 each promise of the process takes longer meanwhile. */
function close(): void {
  howManyOpen--;
  if (howManyOpen === 0) context?.disable();
}

function encloses(ledger: Recorded, inner: Recorded | undefined): boolean {
  for (let open = inner; open !== undefined; open = open.enclosing) if (open === ledger) return true;
  return false;
}

/** About how many bytes a value has; nested rows may have come as lists. */
const bytesOfValue = (value: unknown): number => {
  if (typeof value === "string") return value.length;
  if (value === null) return 0;
  if (Array.isArray(value)) return value.reduce((sum: number, one) => sum + bytesOfValue(one), 0);
  return value instanceof Uint8Array ? value.byteLength : 8;
};

/** About how many bytes rows have. */
function bytesOf(wires: readonly (readonly unknown[])[] | undefined): number {
  let bytes = 0;
  for (const row of wires ?? []) for (const value of row) bytes += bytesOfValue(value);
  return bytes;
}

/** What may end work by an error: it is asked before a statement is sent, and after its rows came. */
export interface Guard {
  begins(text: string, origin: Origin): void;
  ends(rows: number, milliseconds: number): void;
}

/** A recording that is not begun yet. */
export interface Recording {
  readonly record: Recorded;
  /** Runs the work that is recorded. */
  run<R>(work: () => R | Promise<R>): Promise<R>;
}

const newRecord = (enclosing: Recorded | undefined): Recorded => ({
  ...{ statements: [], calls: [], transactions: [], tallies: [], waited: { calls: 0, transactions: 0 } },
  enclosing,
});

/** Puts what is told of statements into a record, where it belongs there. */
function recorderOf(record: Recorded, isOurs: () => boolean, reads: boolean, guard?: Guard): Observer {
  const written = new Map<object, LedgerStatement>();
  return {
    begins: ({ text, origin }) => {
      if (guard !== undefined && origin.verb !== planVerb && isOurs()) guard.begins(text, origin);
    },
    ends: (statement, wires) => {
      if (statement.origin.verb === planVerb || !isOurs()) return;
      const entry = { ...statement, bytes: bytesOf(wires) };
      written.set(statement, entry);
      record.statements.push(entry);
      guard?.ends(statement.rows, statement.milliseconds);
    },
    made: (statement, objects, owners) => {
      const entry = written.get(statement);
      if (entry !== undefined) Object.assign(entry, { objects, owners });
    },
    called: (call) => {
      if (isOurs()) record.calls.push(call);
    },
    waited: (milliseconds, call) => {
      if (isOurs()) record.waited[call === undefined ? "transactions" : "calls"] += milliseconds;
    },
    closes: (transaction) => {
      if (isOurs()) record.transactions.push(transaction);
    },
    ...(reads && {
      gives: (rows, state, origin) => {
        if (isOurs()) record.tallies.push(tallyOf(rows, state, origin));
      },
    }),
  };
}

/** A recording of all that is told to its observer, for who decides himself what that is. */
export function openRecording(): { readonly record: Recorded; readonly observer: Observer } {
  const record = newRecord(undefined);
  return { record, observer: recorderOf(record, () => true, false) };
}

/**
 * Records what work sends. Where the platform can follow asynchronous calls (Node and the like) the statements of other
 * work that goes on at the same time stay out.
 * @param reads whether it is noted what code reads of its rows.
 */
export function recording({ sender }: Connection, reads: boolean, guard?: Guard): Recording {
  const record = newRecord(context?.getStore());
  const isOurs = () => context === undefined || encloses(record, context.getStore());
  return {
    record,
    run: async (work) => {
      const stop = sender.watch.add(recorderOf(record, isOurs, reads, guard));
      howManyOpen++;
      try {
        return await (context === undefined ? work() : context.run(record, work));
      } finally {
        stop();
        close();
      }
    },
  };
}
