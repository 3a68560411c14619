import { type Database, type Ledger, withBudget, withLedger } from "gemach";
import { readableSql } from "gemach-tools/readable";

/**
 * What a page shows, made in two ways that give the same: as one writes it without a second thought, and as it should
 * be.
 */
export interface View<I, O> {
  readonly name: string;
  /** The most statements that the good way may send. */
  readonly budget: number;
  good(db: Database, input: I): Promise<O>;
  naive(db: Database, input: I): Promise<O>;
}

export const ways = ["good", "naive"] as const;
export type Way = (typeof ways)[number];

/** What a request cost, as the foot of the page shows it. */
export interface Cost {
  readonly way: Way;
  readonly statements: number;
  readonly rows: number;
  readonly milliseconds: number;
  readonly texts: readonly {
    readonly text: string;
    readonly times: number;
    readonly rows: number;
    readonly milliseconds: number;
  }[];
  readonly findings: readonly {
    readonly kind: string;
    readonly evidence: string;
    readonly remedy: string;
    /** How many findings say the same. */
    readonly times: number;
  }[];
}

const tenths = (milliseconds: number): number => Math.round(milliseconds * 10) / 10;

/** Texts are few, and laying one out takes longer than sending it. */
const laidOut = new Map<string, string>();

function laidOutText(text: string, db: Database): string {
  const known = laidOut.get(text) ?? readableSql(text, db.dialect.name, 90);
  if (laidOut.size < 500) laidOut.set(text, known);
  return known;
}

/** Findings that say the same are one, with how many there are. */
function findingsOnce(findings: Ledger["findings"]): Cost["findings"] {
  const byEvidence = new Map<string, Cost["findings"][number]>();
  for (const { kind, evidence, remedy } of findings) {
    const times = (byEvidence.get(kind + evidence)?.times ?? 0) + 1;
    byEvidence.set(kind + evidence, { kind, evidence, remedy, times });
  }
  return [...byEvidence.values()];
}

const costOf = ({ totals, groups, findings, milliseconds: spent }: Ledger, way: Way, db: Database): Cost => ({
  way,
  statements: totals.statements,
  rows: totals.rows,
  milliseconds: tenths(spent),
  texts: groups.map(({ text, count, rows, milliseconds }) => ({
    text: laidOutText(text, db),
    times: count,
    rows,
    milliseconds: tenths(milliseconds),
  })),
  findings: findingsOnce(findings),
});

/** What a view gives, and what it cost. */
export interface Shown<O> {
  readonly shown: O;
  readonly cost: Cost;
}

/** Makes a view in one of its ways. A good one that sends more than its budget is an error, not a slow page. */
export async function show<I, O>(view: View<I, O>, db: Database, input: I, way: Way): Promise<Shown<O>> {
  const ledger = await withLedger(db, view.name, () =>
    way === "naive" ? view.naive(db, input) : withBudget(db, { statements: view.budget }, () => view.good(db, input)),
  );
  return { shown: ledger.result, cost: costOf(ledger, way, db) };
}
