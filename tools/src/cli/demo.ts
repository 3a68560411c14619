import { resolve } from "node:path";
import { setImmediate as pause } from "node:timers/promises";
import { isDeepStrictEqual } from "node:util";
import { createTables, database } from "gemach";
import { sqlite } from "gemach/sqlite";
import pc from "picocolors";
import { fill, generate, lending, runStory, type ShownChapter } from "../demo/index.js";
import { openDemoFile, removeDemoFile } from "./demo-file.js";
import { auditText, chapterText, filledText, summaryText } from "./demo-text.js";
import { printJson, whereInterrupted, wrapped } from "./terminal.js";

/** Options of the demo, as the command line gives them. */
export interface DemoOptions {
  /** The number of depots. */
  readonly size: number;
  readonly seed: number;
  readonly file: string;
  readonly json: boolean;
}

/** Whether the chapters of one question gave the same answer. */
const agrees = (chapters: readonly ShownChapter[], chapter: ShownChapter): boolean =>
  chapters.every(
    (other) => other.question !== chapter.question || isDeepStrictEqual(other.ledger.result, chapter.ledger.result),
  );

function facts(
  file: string,
  { size, seed }: DemoOptions,
  tables: readonly object[],
  chapters: readonly ShownChapter[],
): object {
  return {
    file,
    size,
    seed,
    tables,
    chapters: chapters.map((chapter) => ({
      name: chapter.name,
      question: chapter.question,
      title: chapter.title,
      sameAnswer: agrees(chapters, chapter),
      relativeTime: Number(chapter.relativeTime.toFixed(3)),
      totals: chapter.ledger.totals,
      statements: chapter.ledger.statements,
    })),
  };
}

/** How the demo is called, as it was called: by npm in a clone, or as an installed command. */
const command = (options: string): string =>
  process.env.npm_lifecycle_event === "demo" ? `npm run demo -- ${options}` : `gemach demo ${options}`;

function next(file: string): string {
  const tries = [
    [command("--size 400"), "ten times as many rows"],
    [command("--json"), "the same facts for a machine"],
    ["gemach audit", "the same look at your own queries (docs/cli.md)"],
    ["README.md", "how to map your own tables and write your own queries"],
  ] as const;
  const width = Math.max(...tries.map(([what]) => what.length));
  return [
    wrapped(`The database stays at ${pc.bold(file)}; open it with any SQLite tool.`),
    "",
    "What to try next:",
    ...tries.map(([what, why]) => `  ${pc.cyan(what.padEnd(width))}   ${why}`),
  ].join("\n");
}

/** Lays out and fills a database file, and tells the story of its queries. */
export async function demo(
  options: DemoOptions,
  print: (text: string) => void,
  progress: (text: string) => void,
): Promise<void> {
  const file = resolve(options.file);
  const handle = await openDemoFile(file);
  const done = whereInterrupted(() => {
    handle.close();
    removeDemoFile(file);
  });
  try {
    const db = database(sqlite(handle));
    await createTables(db, lending);
    const tables: { table: string; rows: number }[] = [];
    progress(`Filling ${file}`);
    await fill(
      db,
      generate(options.size, options.seed),
      (table, rows) => {
        tables.push({ table, rows });
        progress(`  ${table}: ${rows} rows`);
      },
      pause,
    );
    progress("Running each query several times");
    const chapters = await runStory(db, pause);
    if (options.json) {
      printJson(facts(file, options, tables, chapters));
      return;
    }
    print(wrapped(`${pc.bold("A lending society")}, made up: ${filledText(tables)}`));
    for (const [i, chapter] of chapters.entries()) print(`\n${chapterText(chapter, i + 1, db.dialect.name)}`);
    print(`\n${summaryText(chapters)}`);
    const same = chapters.every((chapter) => agrees(chapters, chapter));
    print(
      same
        ? "Chapters of one question gave deeply equal answers."
        : pc.red("Chapters of one question gave different answers!"),
    );
    print(
      wrapped("Many rows come as one JSON value on SQLite, which is faster: what is shown are the selects inside."),
    );
    print(
      wrapped(`\n${pc.bold("An audit of these chapters")}: what the costly ones waste, and which one does without it.`),
    );
    print(auditText(chapters));
    print(`\n${next(file)}`);
    if (!same) process.exitCode = 1;
  } finally {
    done();
    handle.close();
  }
}
