import type { CallSite, SentStatement } from "../../run/index.js";

/** What a ledger may show to be wasteful. */
export type FindingKind = "repeat" | "echo" | "chatty-write";

/** Something that a ledger shows to be wasteful, with its evidence and its remedy. */
export interface Finding {
  readonly kind: FindingKind;
  /** What was seen, in one sentence with its numbers. */
  readonly evidence: string;
  /** What to do about it, as code for this very case where that can be told. */
  readonly remedy: string;
  /** The line of code that sent the statements, where the platform tells. */
  readonly at: CallSite | undefined;
  /** The statements that it is about. */
  readonly statements: readonly SentStatement[];
}

/** What looks for one kind of waste in what was sent. */
export type Finder = (statements: readonly SentStatement[]) => readonly Finding[];

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
  at === undefined
    ? ""
    : ` at ${at.file.slice(Math.max(at.file.lastIndexOf("/"), at.file.lastIndexOf("\\")) + 1)}:${at.line}`;

/** Statements by something that is the same of them, in the order of the first of each. */
export function groupsOf(
  statements: readonly SentStatement[],
  by: (statement: SentStatement) => string,
): readonly (readonly SentStatement[])[] {
  const groups = new Map<string, SentStatement[]>();
  for (const statement of statements) {
    const name = by(statement);
    const group = groups.get(name);
    if (group === undefined) groups.set(name, [statement]);
    else group.push(statement);
  }
  return [...groups.values()];
}

/** A statement's values as a text that tells them from others. */
export const valuesText = ({ parameters }: SentStatement): string =>
  JSON.stringify(parameters, (_, part: unknown) => {
    if (typeof part === "bigint") return `${part}n`;
    return part instanceof Uint8Array ? part.join() : part;
  });
