import type { DialectName } from "gemach";
import { formatDialect, mariadb, postgresql, sqlite } from "sql-formatter";

/** By themselves, so that a page has no other dialect of the package's. */
const languages = { sqlite, postgres: postgresql, mariadb } as const satisfies Record<DialectName, typeof sqlite>;

const depthOf = (line: string): number => line.length - line.trimStart().length;

/** Puts the items of a list, each on a line of its own, side by side as far as they fit. */
function fillLines(lines: readonly string[], width: number): readonly string[] {
  const filled: string[] = [];
  for (const line of lines) {
    const last = filled.at(-1);
    const isItem = last?.endsWith(",") === true && depthOf(last) === depthOf(line) && !/[()]$/.test(line);
    const joined = `${last} ${line.trimStart()}`;
    if (isItem && joined.length <= width) filled[filled.length - 1] = joined;
    else filled.push(line);
  }
  return filled;
}

/** Puts what follows a clause's keyword beside it, where that is one line. */
function joinClauses(lines: readonly string[], width: number): readonly string[] {
  const joined: string[] = [];
  for (let i = 0; i < lines.length; i++) {
    const line = lines[i] as string;
    const body = lines[i + 1];
    const isAlone = body !== undefined && depthOf(body) > depthOf(line) && depthOf(lines[i + 2] ?? "") <= depthOf(line);
    const operand = `${line} ${body?.trimStart()}`;
    if (isAlone && /^\s*[a-z ]+$/.test(line) && operand.length <= width) {
      joined.push(operand);
      i++;
    } else joined.push(line);
  }
  return joined;
}

/**
 * A statement's text on several lines, a line a clause where it fits in `width` characters: for a preview or a
 * ledger that a person reads.
 */
export function readableSql(statement: string, dialect: DialectName, width = 100): string {
  const lines = formatDialect(statement, { dialect: languages[dialect], keywordCase: "preserve" }).split("\n");
  const text = joinClauses(fillLines(lines, width), width).join("\n");
  // A sign before a value is no sum.
  return text.replaceAll(/\b(select|limit|offset) \+ /g, "$1 +");
}
