import { stripVTControlCharacters } from "node:util";
import { GemachError } from "gemach";
import { escaped, oneLine, visibleLines } from "gemach/tooling";
import pc from "picocolors";

/** Exit codes: 1 for work that failed or found what is wrong, 2 for a command line that could not be understood. */
export const failed = 1;
export const misused = 2;

/**
 * How wide what is printed may be: as wide as the terminal, at most 100 characters. A terminal that does not know says
 * 0.
 */
export const width = (): number => Math.min(100, process.stdout.columns || 100);

/** The colours that this program itself sets, where it sets any. */
const colours = new RegExp(`(${"\u001b"}\\[(?:[0-79]|2[1-9]|3[0-9]|4[0-9]|9[0-7])m)`);

/** Text for a terminal: names and values of others set no colour, move no cursor and turn no letters around. */
export const forTerminal = (text: string): string =>
  pc.isColorSupported
    ? text
        .split(colours)
        .map((part, i) => (i % 2 === 1 ? part : visibleLines(part)))
        .join("")
    : visibleLines(text);

export const print = (text: string): void => void process.stdout.write(`${forTerminal(text)}\n`);

let shown = false;

/** One line that says what is being done, where somebody looks; the next one takes its place. */
export function progress(text: string): void {
  if (!process.stderr.isTTY) return;
  const line = oneLine(text).slice(0, (process.stderr.columns ?? 80) - 1);
  process.stderr.write(`\r\u001b[K${pc.dim(line)}`);
  shown = true;
}

/** Takes the line of progress away. */
export function progressEnds(): void {
  if (shown) process.stderr.write("\r\u001b[K");
  shown = false;
}

/** Tells of an error in one line and a remedy; with its trace where that is asked for. */
export function fail(error: unknown, { json = false, verbose = false }: { json?: boolean; verbose?: boolean }): void {
  progressEnds();
  process.exitCode = failed;
  const { message, stack, cause } = error instanceof Error ? error : new Error(String(error));
  const code = error instanceof GemachError ? error.code : "UNEXPECTED";
  const names = error instanceof GemachError ? error.names : {};
  if (json) process.stderr.write(`${escaped(JSON.stringify({ error: { code, message, names } }))}\n`);
  else process.stderr.write(`${pc.red(code)}: ${visibleLines(message)}\n`);
  if (!verbose) {
    if (!json && !(error instanceof GemachError)) process.stderr.write("--verbose shows where it comes from.\n");
    return;
  }
  process.stderr.write(`${visibleLines(String(stack))}\n`);
  if (cause instanceof Error) process.stderr.write(`because of ${visibleLines(String(cause.stack))}\n`);
}

/**
 * Has something undone where the program is interrupted before its end; what was begun on a database is undone with its
 * connection anyway.
 * @returns the function that says that there is nothing to undo any more.
 */
export function whereInterrupted(undo: () => void): () => void {
  const interrupted = (): void => {
    progressEnds();
    undo();
    process.exit(130);
  };
  process.once("SIGINT", interrupted);
  return () => process.off("SIGINT", interrupted);
}

const lengthOf = (text: string): number => stripVTControlCharacters(text).length;

/** Text in lines of at most so many characters, broken between words; further lines are indented. */
export function wrapped(text: string, indent = "", most: number = width()): string {
  const lines: string[] = [];
  for (const paragraph of text.split("\n")) {
    let line = "";
    for (const word of paragraph.split(" ")) {
      if (line !== "" && lengthOf(indent) + lengthOf(line) + 1 + lengthOf(word) > most) {
        lines.push(line);
        line = word;
      } else line = line === "" ? word : `${line} ${word}`;
    }
    lines.push(line);
  }
  return lines.map((line) => indent + line).join("\n");
}

/** Columns of texts, each as wide as its longest; the last may break. */
export function aligned(rows: readonly (readonly string[])[], gap = 2): string {
  const count = Math.max(...rows.map((row) => row.length));
  const widths = Array.from({ length: count }, (_, i) => Math.max(...rows.map((row) => lengthOf(row[i] ?? ""))));
  return rows
    .map((row) =>
      row
        .map((cell, i) =>
          i === row.length - 1 ? cell : cell + " ".repeat((widths[i] as number) - lengthOf(cell) + gap),
        )
        .join("")
        .trimEnd(),
    )
    .join("\n");
}

const number = new Intl.NumberFormat("en", { maximumFractionDigits: 0 });

/** "1,234 rows" */
export const plural = (count: number, one: string, many = `${one}s`): string =>
  `${number.format(count)} ${count === 1 ? one : many}`;

/** "1.23 ms" */
export const milliseconds = (time: number): string => `${time.toFixed(time < 10 ? 2 : time < 100 ? 1 : 0)} ms`;

/** Prints facts for a machine: JSON, in which whole numbers of 64 bits are texts and bytes lists of numbers. */
export const printJson = (facts: unknown): void => void process.stdout.write(`${jsonText(facts)}\n`);

/** Facts as text of JSON, in which every sign that nobody sees is an escape. */
export const jsonText = (facts: unknown): string =>
  escaped(
    JSON.stringify(
      facts,
      (_, part: unknown) => {
        if (typeof part === "bigint") return String(part);
        return part instanceof Uint8Array ? [...part] : part;
      },
      2,
    ),
  );
