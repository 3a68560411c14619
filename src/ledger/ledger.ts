import type { AnyDatabase } from "../database/index.js";
import { expectOptions } from "../errors/index.js";
import {
  type Accepted,
  type Finder,
  type Finding,
  findingsOf,
  handOut,
  type LedgerStatement,
  openRecording,
  type Recorded,
  recording,
  type Thresholds,
  usualThresholds,
} from "../findings/index.js";
import { type Connection, connectionOf, type Observer } from "../run/index.js";
import { plansOf } from "./plans.js";
import { type LedgerTotals, type StatementGroup, textGroups, totalsOf } from "./sums.js";

/** Options of a ledger, beside the statements. */
export interface LedgerOptions {
  /**
   * Whether the database is asked for the execution plan of each text, once the work is done; false by default.
   * "measured": what reads is run once more for that, so that estimates can be held against the truth (not on SQLite).
   */
  readonly plans?: boolean | "measured";
  /**
   * Whether it is noted what code reads of the rows that it gets; false by default. What the work gives counts as read.
   */
  readonly reads?: boolean;
  /** From when on something is a finding, where that is not the usual. */
  readonly thresholds?: Partial<Thresholds>;
  /** Findings that are meant, with the reason. */
  readonly accepts?: readonly Accepted[];
  /** Finders of further kinds. */
  readonly finders?: readonly Finder[];
}

/** The statements that were sent to a database while some work was done. */
export interface Ledger<R = unknown> {
  readonly label: string;
  /** The result of the work. */
  readonly result: R;
  /**
   * Every statement, in the order in which their answers came; those of one call that went out at once, as if one after
   * the other.
   */
  readonly statements: readonly LedgerStatement[];
  readonly totals: LedgerTotals;
  /** Statements of equal texts together, the most frequent first. */
  readonly groups: readonly StatementGroup[];
  /** The findings, the costliest first; without those that are accepted. */
  readonly findings: readonly Finding[];
  /** Findings that are meant, each with the reason. */
  readonly accepted: readonly Finding[];
  /** From the beginning of the work to its end, in milliseconds. */
  readonly milliseconds: number;
}

const optionNames: readonly (keyof LedgerOptions)[] = ["plans", "reads", "thresholds", "accepts", "finders"];

/** Records a ledger; see `withLedger`. */
export async function ledgerOn<R>(
  db: AnyDatabase,
  label: string,
  work: () => R | Promise<R>,
  options: LedgerOptions,
): Promise<Ledger<R>> {
  expectOptions("withLedger", options, optionNames);
  const { plans = false, reads = false } = options;
  const connection = connectionOf(db, "withLedger");
  const { record, run } = recording(connection, reads);
  const started = connection.clock();
  const result = await run(work);
  const milliseconds = connection.clock() - started;
  if (reads) handOut(result, record.tallies);
  if (plans !== false) {
    const found = await plansOf(record.statements, connection, plans === "measured");
    for (const one of record.statements) {
      const plan = found.get(one.text);
      if (plan !== undefined) Object.assign(one, { plan });
    }
  }
  return ledgerOf(record, connection, { label, result, milliseconds }, options);
}

/**
 * Which of two statements of one call comes first, where they were on their way at once: as if they had gone one after
 * the other.
 */
function compareBranches({ branch: one = [] }: LedgerStatement, { branch: other = [] }: LedgerStatement): number {
  for (let i = 0; i < Math.max(one.length, other.length); i++) {
    const difference = (one[i] ?? -1) - (other[i] ?? -1);
    if (difference !== 0) return difference;
  }
  return 0;
}

/**
 * Statements in an order that does not change from run to run: those of one call in the places that they have taken.
 */
function inOrder(statements: readonly LedgerStatement[]): readonly LedgerStatement[] {
  if (statements.every(({ branch }) => branch === undefined)) return statements;
  const byCall = new Map<number | undefined, number[]>();
  for (const [at, { origin }] of statements.entries()) {
    const places = byCall.get(origin.call);
    if (places === undefined) byCall.set(origin.call, [at]);
    else places.push(at);
  }
  const sorted = [...statements];
  for (const places of byCall.values()) {
    const own = places.map((at) => statements[at] as LedgerStatement);
    for (const [i, statement] of own.toSorted(compareBranches).entries()) sorted[places[i] as number] = statement;
  }
  return sorted;
}

/** The ledger of what was recorded; what takes time is worked out when somebody asks. */
function ledgerOf<R>(
  { statements: recorded, calls, transactions, tallies, waited }: Recorded,
  { dialect }: Connection,
  work: Pick<Ledger<R>, "label" | "result" | "milliseconds">,
  { thresholds, accepts = [], finders = [] }: LedgerOptions = {},
): Ledger<R> {
  const reads = tallies.map((tally) => tally.done());
  const statements = inOrder(recorded);
  const record = { statements, transactions, reads, dialect, thresholds: { ...usualThresholds, ...thresholds } };
  let found: ReturnType<typeof findingsOf> | undefined;
  const sorted = () => {
    found ??= findingsOf(record, finders, accepts);
    return found;
  };
  return {
    ...{ ...work, statements },
    totals: totalsOf(statements, calls, waited),
    get groups() {
      return textGroups(statements);
    },
    get findings() {
      return sorted().findings;
    },
    get accepted() {
      return sorted().accepted;
    },
  };
}

/** A ledger that goes on until somebody asks for it: what is told to its observer belongs to it. */
export function openLedger(
  label: string,
  connection: Connection,
): { readonly observer: Observer; readonly ledger: () => Ledger<undefined> } {
  const { record, observer } = openRecording();
  return {
    observer,
    ledger: () => ledgerOf(record, connection, { label, result: undefined, milliseconds: 0 }),
  };
}
