import { typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import type { Finding, LedgerStatement } from "../findings/index.js";
import { valuesText } from "../run/index.js";
import type { PlanStep } from "../sql/index.js";
import type { Ledger } from "./ledger.js";
import { textGroups, totalsOf } from "./sums.js";

/** How a ledger is written down. */
export interface LinesOptions {
  /**
   * Whether the values of statements are written, which may be somebody's secrets; false by default: they are marks
   * then, the same for the same values within one text.
   */
  readonly values?: boolean;
}

/** A ledger that was written down and is read again. */
export type ReadLedger = Omit<Ledger, "result">;

/** JSON has no bytes and no whole numbers of 64 bits. */
const plain = (value: unknown): unknown => {
  if (typeof value === "bigint") return { bigint: String(value) };
  return value instanceof Uint8Array ? { bytes: [...value] } : value;
};

const wireOf = (value: unknown): unknown => {
  if (typeof value !== "object" || value === null) return value;
  if ("bigint" in value) return BigInt(String(value.bigint));
  return "bytes" in value ? Uint8Array.from(value.bytes as number[]) : value;
};

/** Servers write values into the conditions of their plans. */
const withoutConditions = ({ condition: _, below, ...step }: PlanStep): PlanStep => ({
  ...step,
  below: below.map(withoutConditions),
});

/**
 * A ledger as JSON Lines: a line of its own facts, one for each statement, in their order, and one for each finding.
 */
export function ledgerLines(ledger: Ledger, { values = false }: LinesOptions = {}): string {
  const marks = new Map<string, string>();
  const markOf = (statement: LedgerStatement): string => {
    const text = valuesText(statement);
    const mark = marks.get(text) ?? `values ${marks.size + 1}`;
    marks.set(text, mark);
    return mark;
  };
  const { label, milliseconds, totals, findings } = ledger;
  const lines: object[] = [{ ledger: label, milliseconds, statements: totals.statements, totals }];
  for (const statement of ledger.statements) {
    const { parameters, origin, plan, ...facts } = statement;
    const { query: _, ...told } = origin;
    const given = values ? { parameters: parameters.map(plain) } : { values: markOf(statement) };
    const planned = plan === undefined ? {} : { plan: values ? plan : withoutConditions(plan) };
    lines.push({ ...facts, ...given, ...planned, origin: told });
  }
  // What they show is told with them: a reader has neither the queries nor the database.
  for (const { statements, ...finding } of findings)
    lines.push({
      finding: finding.kind,
      ...finding,
      statements: statements.map((one) => ledger.statements.indexOf(one)),
    });
  return `${lines.map((line) => JSON.stringify(line)).join("\n")}\n`;
}

/**
 * Reads the ledger that `ledgerLines` wrote: its totals and findings.
 * @throws GemachError `LINES_UNREADABLE` with the number of the line
 */
export function readLedgerLines(text: string): ReadLedger {
  const lines = text.split("\n").filter((line) => line.trim() !== "");
  const read = lines.map((line, i) => {
    try {
      const value: unknown = JSON.parse(line);
      const isRight =
        typeof value === "object" &&
        value !== null &&
        (i === 0 ? "ledger" in value : "finding" in value || ("text" in value && "origin" in value));
      if (isRight) return value as Readonly<Record<string, unknown>>;
    } catch {}
    throw new GemachError("LINES_UNREADABLE", { line: i + 1 });
  });
  const [head, ...rest] = read;
  if (head === undefined) throw new GemachError("LINES_UNREADABLE", { line: 1 });
  const statements = rest.flatMap((line): readonly LedgerStatement[] => ("finding" in line ? [] : [statementOf(line)]));
  const findings = rest.flatMap((line): readonly Finding[] => ("finding" in line ? [findingOf(line, statements)] : []));
  return {
    label: typeof head.ledger === "string" ? head.ledger : typeWord(head.ledger),
    milliseconds: Number(head.milliseconds),
    statements,
    totals: (head.totals ?? totalsOf(statements, [])) as Ledger["totals"],
    groups: textGroups(statements),
    findings,
    accepted: [],
  };
}

const unknownOrigin = {
  operation: "other",
  query: undefined,
  entity: undefined,
  relation: undefined,
  strategy: undefined,
  at: undefined,
};

function statementOf({ values, parameters, origin, ...facts }: Readonly<Record<string, unknown>>): LedgerStatement {
  return {
    ...facts,
    parameters: Array.isArray(parameters) ? parameters.map(wireOf) : [values],
    origin: { ...unknownOrigin, ...(origin as object) },
  } as unknown as LedgerStatement;
}

function findingOf(
  { finding: _, statements, ...facts }: Readonly<Record<string, unknown>>,
  all: readonly LedgerStatement[],
): Finding {
  const own = (Array.isArray(statements) ? statements : []).flatMap((position: number) => all[position] ?? []);
  return { at: undefined, ...facts, statements: own } as unknown as Finding;
}
