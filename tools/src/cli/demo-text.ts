import Table from "cli-table3";
import type { CallSite, DialectName, SentStatement } from "gemach";
import pc from "picocolors";
import type { ShownChapter } from "../demo/index.js";
import { readableSql } from "./readable.js";
import { coloured } from "./sql-text.js";
import { width, wrapped } from "./terminal.js";

const number = new Intl.NumberFormat("en");

const plural = (count: number, one: string, many = `${one}s`): string =>
  `${number.format(count)} ${count === 1 ? one : many}`;

const indent = (text: string, by = "   "): string =>
  text
    .split("\n")
    .map((line) => (line === "" ? line : by + line))
    .join("\n");

const factor = (relative: number): string => relative.toFixed(2);

/** A function's own source without the indent of the file it stands in. */
function sourceOf(run: (...given: never[]) => unknown): string {
  const lines = run.toString().replaceAll("\t", "  ").split("\n");
  const depth = Math.min(
    ...lines
      .slice(1)
      .map((line) => line.search(/\S/))
      .filter((at) => at >= 0),
    Number.POSITIVE_INFINITY,
  );
  return lines.map((line, i) => (i === 0 ? line : line.slice(Number.isFinite(depth) ? depth : 0))).join("\n");
}

/** "story.js, line 14" */
const siteText = (at: CallSite | undefined): string =>
  at === undefined ? "" : ` by ${at.file.slice(at.file.lastIndexOf("/") + 1)}, line ${at.line}`;

/** Statements of the same text, shown once. */
function statementsText({ ledger }: ShownChapter, dialect: DialectName): string {
  const byText = new Map<string, SentStatement[]>();
  for (const statement of ledger.statements) {
    const text = statement.select ?? statement.text;
    byText.set(text, [...(byText.get(text) ?? []), statement]);
  }
  return [...byText]
    .map(([text, sent]) => {
      const sql = coloured(readableSql(text, dialect, width() - 3));
      if (sent.length === 1) return sql;
      const note = `sent ${number.format(sent.length)} times${siteText(sent[0]?.origin.at)}, each time with another key`;
      return `${sql}\n${pc.yellow(note)}`;
    })
    .join("\n\n");
}

/** A text whose places in code are named by their files alone. */
const withShortPaths = (text: string): string => text.replaceAll(/\S*\/([^/\s]+:\d+)/g, "$1");

/** One chapter as a person reads it. */
export function chapterText(chapter: ShownChapter, position: number, dialect: DialectName): string {
  const { totals } = chapter.ledger;
  const figures = [
    plural(totals.statements, "statement"),
    plural(totals.rows, "row"),
    position === 1 ? "its time counts as 1.00" : `${factor(chapter.relativeTime)} of the time of chapter 1`,
  ].join(pc.dim(" · "));
  return [
    `${pc.bold(`${position}  ${chapter.title}`)}`,
    wrapped(chapter.lesson, "   "),
    "",
    indent(pc.dim(sourceOf(chapter.run))),
    "",
    indent(statementsText(chapter, dialect)),
    "",
    ...chapter.ledger.findings.flatMap(({ kind, evidence, remedy }) => [
      wrapped(`${pc.red(`Finding: ${kind}.`)} ${withShortPaths(evidence)}`, "   "),
      wrapped(pc.cyan(remedy), "   "),
      "",
    ]),
    ...(chapter.isTold === true ? [indent(pc.yellow(withShortPaths(String(chapter.ledger.result)))), ""] : []),
    indent(pc.green(figures)),
  ].join("\n");
}

/** All chapters in one table. */
export function summaryText(chapters: readonly ShownChapter[]): string {
  const table = new Table({
    head: ["", "question", "way", "statements", "rows", "time"],
    colAligns: ["right", "left", "left", "right", "right", "right"],
    style: { head: [], border: [], compact: true },
  });
  chapters.forEach(({ question, name, ledger: { totals }, relativeTime }, i) => {
    const isRepeated = chapters[i - 1]?.question === question;
    table.push([
      i + 1,
      isRepeated ? "" : question,
      name,
      number.format(totals.statements),
      number.format(totals.rows),
      factor(relativeTime),
    ]);
  });
  return table.toString();
}

/** Writes which rows were put into the database. */
export function filledText(tables: readonly { readonly table: string; readonly rows: number }[]): string {
  const [first, others] = [tables.slice(0, 5), tables.slice(5)];
  const parts = first.map(({ table, rows }) => `${number.format(rows)} in ${table}`);
  if (others.length > 0) {
    const rest = others.reduce((sum, { rows }) => sum + rows, 0);
    parts.push(`${number.format(rest)} in ${plural(others.length, "other table")}`);
  }
  return parts.join(pc.dim(" · "));
}

/** Writes what the costly chapters waste, and the chapters that do without. */
export function auditText(chapters: readonly ShownChapter[]): string {
  const rows = chapters.flatMap((chapter, i) => {
    const cure = chapters.findIndex(
      ({ question, ledger }) => question === chapter.question && ledger.findings.length === 0,
    );
    return chapter.ledger.findings.map(({ kind, evidence }) => [
      `${i + 1}`,
      pc.red(kind),
      withShortPaths(evidence),
      cure < 0 ? "" : pc.green(`${cure + 1}`),
    ]);
  });
  if (rows.length === 0) return "";
  const table = new Table({
    head: ["", "found", "what was seen", "repaired in"],
    colAligns: ["right", "left", "left", "right"],
    colWidths: [4, 15, Math.max(30, Math.min(61, width() - 38)), 13],
    wordWrap: true,
    style: { head: [], border: [], compact: true },
  });
  table.push(...rows);
  return table.toString();
}
