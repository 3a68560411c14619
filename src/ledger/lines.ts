import { typeWord } from "../columns/index.js";
import { GemachError } from "../errors/index.js";
import type { SentStatement } from "../run/index.js";
import { findingsOf } from "./findings/finders.js";
import type { Finding } from "./findings/finding.js";
import { valuesText } from "./findings/finding.js";
import { type Ledger, type LedgerTotals, totalsOf } from "./ledger.js";

/** How a ledger is written down. */
export interface LinesOptions {
  /**
   * Whether the values of statements are written, which may be somebody's secrets; false by default: they are marks then, the same
   * for the same values within one text.
   */
  readonly values?: boolean;
}

/** What is known of a ledger that was written down. */
export interface ReadLedger {
  readonly label: string;
  readonly statements: readonly SentStatement[];
  readonly totals: LedgerTotals;
  readonly findings: readonly Finding[];
  readonly milliseconds: number;
}

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

/** A ledger as JSON Lines: a line of its own facts, and one for each statement, in their order. */
export function ledgerLines(ledger: Ledger, { values = false }: LinesOptions = {}): string {
  const marks = new Map<string, string>();
  const markOf = (statement: SentStatement): string => {
    const text = valuesText(statement);
    const mark = marks.get(text) ?? `values ${marks.size + 1}`;
    marks.set(text, mark);
    return mark;
  };
  const lines: object[] = [
    { ledger: ledger.label, milliseconds: ledger.milliseconds, statements: ledger.statements.length },
  ];
  for (const statement of ledger.statements) {
    const { text, select, parameters, rows, milliseconds, failed, origin } = statement;
    const { query: _, ...facts } = origin;
    const given = values ? { parameters: parameters.map(plain) } : { values: markOf(statement) };
    lines.push({
      text,
      ...(select === undefined ? {} : { select }),
      ...given,
      rows,
      milliseconds,
      failed,
      origin: facts,
    });
  }
  return `${lines.map((line) => JSON.stringify(line)).join("\n")}\n`;
}

/**
 * What `ledgerLines` wrote, to be looked at again: its totals and findings.
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
        (i === 0 ? "ledger" in value : "text" in value && "origin" in value);
      if (isRight) return value as Readonly<Record<string, unknown>>;
    } catch {}
    throw new GemachError("LINES_UNREADABLE", { line: i + 1 });
  });
  const [head, ...rest] = read;
  if (head === undefined) throw new GemachError("LINES_UNREADABLE", { line: 1 });
  const statements = rest.map(({ values, parameters, origin, ...facts }) => ({
    ...facts,
    parameters: Array.isArray(parameters) ? parameters.map(wireOf) : [values],
    origin: {
      query: undefined,
      entity: undefined,
      relation: undefined,
      strategy: undefined,
      at: undefined,
      ...(origin as object),
    },
  })) as unknown as SentStatement[];
  return {
    label: typeof head.ledger === "string" ? head.ledger : typeWord(head.ledger),
    statements,
    totals: totalsOf(statements),
    findings: findingsOf(statements),
    milliseconds: Number(head.milliseconds),
  };
}
