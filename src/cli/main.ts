#!/usr/bin/env node
import { createRequire } from "node:module";
import { Command, CommanderError, InvalidArgumentError } from "commander";
import pc from "picocolors";
import { GemachError } from "../errors/index.js";

/** Exit codes: 1 for work that failed, 2 for a command line that could not be understood. */
const failed = 1;
const misused = 2;

const wholeFrom =
  (least: number, most: number) =>
  (given: string): number => {
    const value = Number(given);
    if (!Number.isInteger(value) || value < least || value > most)
      throw new InvalidArgumentError(`It takes a whole number from ${least} to ${most}.`);
    return value;
  };

// Lines of what is loaded from here on are named as they were written, not as they were built.
process.setSourceMapsEnabled(true);

// By its name, wherever the build puts this file.
const { version } = createRequire(import.meta.url)("gemach/package.json") as { readonly version: string };

// Who reads only the beginning, as `gemach demo | head` does, has what they want.
process.stdout.on("error", (error: NodeJS.ErrnoException) => {
  if (error.code === "EPIPE") process.exit();
  throw error;
});

const print = (text: string): void => void process.stdout.write(`${text}\n`);
const progress = (text: string): void => void (process.stderr.isTTY && process.stderr.write(`${pc.dim(text)}\n`));

function fail(error: unknown, json: boolean): void {
  process.exitCode = failed;
  if (!(error instanceof GemachError)) throw error;
  const { code, message, names } = error;
  process.stderr.write(
    json ? `${JSON.stringify({ error: { code, message, names } })}\n` : `${pc.red(code)}: ${message}\n`,
  );
}

const program = new Command("gemach")
  .description("Entities mapped to tables, typed queries, and the SQL that they cost.")
  .version(version)
  .exitOverride()
  .showHelpAfterError("Add --help for what there is.");

program
  .command("demo")
  .description("Fill an SQLite file with a made-up lending society and show what queries cost.")
  .option(
    "--size <depots>",
    "number of depots; to each belong 25 items, 10 members and 75 loans",
    wholeFrom(1, 20_000),
    40,
  )
  .option("--seed <number>", "the data's seed: the same seed gives the same data", wholeFrom(0, 4_294_967_295), 7)
  .option("--file <path>", "the database file; one that an earlier demo left is replaced", "lending.sqlite")
  .option("--json", "print the facts as JSON", false)
  .action(async (options: { size: number; seed: number; file: string; json: boolean }) => {
    try {
      const { demo } = await import("./demo.js");
      await demo(options, print, progress);
    } catch (error) {
      fail(error, options.json);
    }
  });

try {
  await program.parseAsync();
} catch (error) {
  if (!(error instanceof CommanderError)) throw error;
  process.exitCode = error.exitCode === 0 ? 0 : misused;
}
