import type { Finding } from "../findings/index.js";
import type { Ledger } from "../ledger/index.js";

/** The result of a matcher: whether it holds, and in words why not. */
export interface MatcherResult {
  readonly pass: boolean;
  readonly message: () => string;
}

const isLedger = (value: unknown): value is Ledger =>
  typeof value === "object" && value !== null && "statements" in value && "findings" in value;

function ledgerIn(value: unknown, matcher: string): Ledger {
  if (isLedger(value)) return value;
  throw new TypeError(
    `${matcher}() takes a ledger, as withLedger() gives it: expect(await withLedger(db, "…", () => …)).${matcher}(…)`,
  );
}

/** "story.ts:37" */
const placeOf = (at: Finding["at"]): string =>
  at === undefined ? "" : ` at ${at.file.split(/[\\/]/).at(-1)}:${at.line}`;

/**
 * The statements of a ledger as a text for a file snapshot: what each is for, and its SQL, those of equal texts
 * together. It holds no values, lines or times, so that it changes only where the SQL does: `await
 * expect(statementsText(ledger)).toMatchFileSnapshot("board.sql")`.
 */
export function statementsText({ statements }: Pick<Ledger, "statements">): string {
  const groups = new Map<string, { count: number; readonly purpose: string }>();
  for (const { text, select, origin } of statements) {
    const shown = select ?? text;
    const group = groups.get(shown) ?? { count: 0, purpose: `${origin.verb}: ${origin.purpose}` };
    groups.set(shown, group);
    group.count++;
  }
  return [...groups]
    .map(([text, { count, purpose }]) => `-- ${purpose}${count === 1 ? "" : `, ${count} times`}\n${text};\n`)
    .join("\n");
}

/** What came, for messages. */
const came = (ledger: Ledger): string =>
  ledger.groups
    .map(
      ({ count, text, statements: [first] }) =>
        `  ${count} × ${first?.origin.verb}${placeOf(first?.origin.at)}: ${text}`,
    )
    .join("\n");

const told = (findings: readonly Finding[]): string =>
  findings.map(({ kind, evidence, remedy }) => `  ${kind}: ${evidence}\n    ${remedy}`).join("\n");

/** Matchers for the ledgers of tests: `expect.extend(ledgerMatchers)`, once. */
export const ledgerMatchers = {
  /** That at most so many statements were sent. */
  toSendAtMost(value: unknown, most: number): MatcherResult {
    const ledger = ledgerIn(value, "toSendAtMost");
    const { statements } = ledger.totals;
    const found = ledger.findings.length === 0 ? "" : `\nWhat it shows:\n${told(ledger.findings)}`;
    return {
      pass: statements <= most,
      message: () =>
        statements <= most
          ? `More than ${most} statements were expected, and ${statements} came.`
          : `At most ${most} statements were expected, and ${statements} came:\n${came(ledger)}${found}`,
    };
  },
  /** That there is a finding; of a kind, where one is named. `.not.toHaveFinding()`: that nothing is wasteful. */
  toHaveFinding(value: unknown, kind?: string): MatcherResult {
    const ledger = ledgerIn(value, "toHaveFinding");
    const findings = ledger.findings.filter((finding) => kind === undefined || finding.kind === kind);
    const name = kind === undefined ? "finding" : `finding '${kind}'`;
    return {
      pass: findings.length > 0,
      message: () =>
        findings.length > 0
          ? `No ${name} was expected, and there is:\n${told(findings)}`
          : `A ${name} was expected, and there is ${ledger.findings.length === 0 ? "none" : `:\n${told(ledger.findings)}`}.`,
    };
  },
};

/**
 * The matchers' types, for Vitest: `declare module "vitest" { interface Matchers<T> extends LedgerMatchers<T> {} }`.
 */
export interface LedgerMatchers<T = unknown> {
  /** That at most so many statements were sent. */
  toSendAtMost(most: number): T;
  /** That there is a finding; of a kind, where one is named. */
  toHaveFinding(kind?: string): T;
}
