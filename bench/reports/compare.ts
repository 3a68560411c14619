import { writeFileSync } from "node:fs";
import Table from "cli-table3";
import { preview } from "../../src/index.js";
import { readableSql } from "../../tools/src/cli/readable.js";
import type { Bench } from "../engines.js";
import { median, milliseconds, noting } from "../figures.js";
import { handDialects } from "./hand-dialect.js";
import type { Question } from "./question.js";

/** A value as both hands give it: digits without zeros at the end of a fraction, null as it is. */
const plain = (value: unknown): unknown => {
  if (typeof value === "boolean") return Number(value);
  if (value instanceof Date) return value.toISOString().slice(0, 10);
  const text = typeof value === "number" || typeof value === "bigint" ? String(value) : value;
  if (typeof text !== "string" || !/^-?\d+(\.\d+)?$/.test(text)) return text;
  return text.includes(".") ? text.replace(/\.?0+$/, "") : text;
};

/** The values of a row, one after the other. */
const valuesOf = (row: unknown): unknown[] =>
  typeof row === "object" && row !== null && !(row instanceof Date)
    ? Object.values(row).flatMap(valuesOf)
    : [plain(row)];

/** How often a word stands in a text. */
const count = (text: string, word: RegExp): number => [...text.matchAll(word)].length;

/** What of a generated text is more than of the one by hand: joins, selects, length. */
export function excess(ours: string, byHand: string): string {
  const joins = count(ours, /\bjoin\b/g) - count(byHand, /\bjoin\b/g);
  const selects = count(ours, /\bselect\b/g) - count(byHand, /\bselect\b/g);
  // Names of tables count for nothing: a person may shorten them or not.
  const bare = (text: string) => text.replace(/"?\b\w+\b"?\.(?=["\w])/g, "").length;
  const length = bare(ours) / bare(byHand);
  return [
    joins > 0 ? `${joins} joins` : "",
    selects > 0 ? `${selects} selects` : "",
    length > 1.2 ? `${length.toFixed(2)} times as long` : "",
  ]
    .filter((part) => part !== "")
    .join(", ");
}

/** PostgreSQL takes names of 63 characters. */
const shortOf = (name: string): string => name.slice(0, 60);

/** Time by that of SQL by hand, on each engine, where both answers are the same; refuses others. */
export async function reportFigures(
  benches: readonly Bench[],
  questions: readonly Question[],
  rounds: number,
): Promise<string> {
  const table = new Table({ head: ["question", ...benches.map(({ name }) => name)], style: { head: [], border: [] } });
  const all = new Map<string, number[]>(benches.map(({ name }) => [name, []]));
  for (const { name, query, byHand } of questions) {
    const cells: string[] = [];
    for (const bench of benches) {
      const dialect = handDialects[bench.name];
      if (dialect === undefined) continue;
      process.stderr.write(`${bench.name}: ${name}\n`);
      const text = byHand(dialect);
      const [ours, theirs] = [await bench.db.list(query), await bench.hand.send(shortOf(name), text, [])];
      const [a, b] = [JSON.stringify(ours.map(valuesOf)), JSON.stringify(theirs.map((row) => [...row].map(plain)))];
      if (a !== b) {
        const at = [...a].findIndex((letter, i) => letter !== b[i]);
        throw new Error(
          `${bench.name}, ${name}: ours ${a.slice(Math.max(0, at - 80), at + 200)}\nby hand ${b.slice(Math.max(0, at - 80), at + 200)}`,
        );
      }
      if (ours.length === 0) throw new Error(`${name}: no row`);
      const ratios: number[] = [];
      for (let round = 0; round < rounds; round++) {
        const [mine, other]: [number[], number[]] = [[], []];
        for (const end = performance.now() + 150; performance.now() < end || mine.length < 2; ) {
          mine.push(await milliseconds(() => bench.db.list(query)));
          other.push(await milliseconds(() => bench.hand.send(shortOf(name), text, [])));
        }
        ratios.push(median(mine) / median(other));
      }
      all.get(bench.name)?.push(median(ratios));
      cells.push(noting(`report ${name}`, bench.name, ratios));
    }
    table.push([name, ...cells]);
  }
  table.push(["median", ...benches.map(({ name }) => median(all.get(name) as number[]).toFixed(2))]);
  return String(table);
}

/** Writes the texts for one engine beside those by hand, for reviewers. */
export function writeTexts(
  file: string,
  title: string,
  questions: readonly Question[],
  { name, db }: Bench,
): readonly string[] {
  const longer: string[] = [];
  const parts = questions.map(({ name: question, query, byHand }) => {
    const dialect = handDialects[name];
    const [ours] = preview(query, { dialect: db.dialect });
    const text = ours?.text ?? "";
    const hand = dialect === undefined ? "" : byHand(dialect);
    const more = excess(text, hand);
    if (more !== "") longer.push(`${question}: ${more}`);
    const sql = (given: string) => `\`\`\`sql\n${readableSql(given, db.dialect.name)}\n\`\`\``;
    return `## ${question}\n\nThe library:\n\n${sql(text)}\n\nBy hand:\n\n${sql(hand)}\n`;
  });
  writeFileSync(file, `# ${title}, on ${name}\n\n${parts.join("\n")}`);
  return longer;
}
