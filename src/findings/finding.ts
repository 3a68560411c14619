import type { QueryState } from "../ir/index.js";
import { stateOf } from "../query/index.js";
import type { CallSite, SentStatement } from "../run/index.js";
import type { FindingKind } from "./kinds.js";
import { basename } from "./places.js";
import type { LedgerRecord, LedgerStatement } from "./record.js";

/** How much a finding weighs: what grows with the data, or costs much already, is a warning. */
export type Severity = "warning" | "note";

/** Something that a ledger shows to be wasteful, with its evidence and its remedy. */
export interface Finding {
  /** Its kind, or the name of one of your own. */
  readonly kind: FindingKind | (string & {});
  readonly severity: Severity;
  /** The observed waste, in one sentence with its numbers. */
  readonly evidence: string;
  /** The remedy, as code for this very case where that can be told. */
  readonly remedy: string;
  /** The line of code that sent the statements, where the platform tells. */
  readonly at: CallSite | undefined;
  /** The statements that it is about. */
  readonly statements: readonly LedgerStatement[];
  /** Why it is meant, where it is accepted. */
  readonly reason?: string;
}

/** Finds one kind of waste in the record of a ledger. */
export type Finder = (record: LedgerRecord) => readonly Finding[];

/** Verbs that read rows for their caller at once: one that is called again asks anew. */
const reading: ReadonlySet<string> = new Set([
  "list",
  "single",
  "maybe",
  "count",
  "exists",
  "byKey",
  "lazy read",
  "reach",
]);

/** Verbs all of whose statements are for relations of rows that are there. */
const completing: ReadonlySet<string> = new Set(["lazy read", "reach"]);

/** Whether a statement is the first of a verb that reads: those that follow it are no choice of the caller's. */
export const isRead = ({ origin: { verb, relation } }: SentStatement): boolean =>
  reading.has(verb) && (relation === undefined || completing.has(verb));

/** "story.ts:37" */
export const placeOf = (at: CallSite | undefined): string =>
  at === undefined ? "" : ` at ${basename(at.file)}:${at.line}`;

/** Statements by something that is the same of them, in the order of the first of each. */
export function groupsOf<S extends SentStatement>(
  statements: readonly S[],
  by: (statement: S) => string,
): readonly (readonly S[])[] {
  const groups = new Map<string, S[]>();
  for (const statement of statements) {
    const name = by(statement);
    const group = groups.get(name);
    if (group === undefined) groups.set(name, [statement]);
    else group.push(statement);
  }
  return [...groups.values()];
}

/** A key of statements that come from one line of code with one text. */
export const siteAndText = ({ text, origin: { verb, at } }: SentStatement): string =>
  `${verb} ${at?.file}:${at?.line}:${at?.column} ${text}`;

/** The query that a statement belongs to, where it is known. */
export const queryOf = ({ origin: { query } }: SentStatement): QueryState | undefined => {
  try {
    return query === undefined ? undefined : stateOf(query, "withLedger");
  } catch {
    // SQL as it was written has none.
    return undefined;
  }
};

let number: Intl.NumberFormat | undefined;

/**
 * "1,234"; making a format took a third of the time of loading the library, so that it is made when it is asked for.
 */
export const many = (count: number): string => {
  number ??= new Intl.NumberFormat("en", { maximumFractionDigits: 1 });
  return number.format(count);
};
