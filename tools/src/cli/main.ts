#!/usr/bin/env node
import { createRequire } from "node:module";
import { Argument, Command, CommanderError, InvalidArgumentError, Option } from "commander";
import { strategies } from "gemach/tooling";
import type { AdoptCommand } from "./adopt.js";
import type { ApplyCommand } from "./apply.js";
import type { AuditCommand } from "./audit.js";
import type { CompareCommand } from "./compare.js";
import type { DraftCommand } from "./draft.js";
import type { ExplainCommand } from "./explain.js";
import type { MapCommand } from "./map.js";
import { ofProject, type ProjectOptions } from "./project-options.js";
import type { SqlOptions } from "./sql.js";
import { fail, misused, print, progress, progressEnds } from "./terminal.js";
import type { VerifyCommand } from "./verify.js";

const wholeFrom =
  (least: number, most: number) =>
  (given: string): number => {
    const value = Number(given);
    if (!Number.isInteger(value) || value < least || value > most)
      throw new InvalidArgumentError(`It takes a whole number from ${least} to ${most}.`);
    return value;
  };

/** "2ms", "0.5", "1s" in milliseconds. */
const timeFrom = (given: string): number => {
  const match = /^(\d+(?:\.\d+)?)(ms|s)?$/.exec(given.trim());
  if (match === null) throw new InvalidArgumentError("It takes a time, such as 2ms or 0.1s.");
  return Number(match[1]) * (match[2] === "s" ? 1000 : 1);
};

const listFrom = (given: string, before: readonly string[]): readonly string[] => [...before, ...given.split(",")];

/** An option, and its value where it is left out. */
const option = (flags: string, text: string, defaultText?: unknown): Option =>
  defaultText === undefined ? new Option(flags, text) : new Option(flags, text).default(defaultText);

/** An option whose value is made of its text. */
const read = <T>(flags: string, text: string, from: (given: string, before: T) => T, defaultText: T): Option =>
  new Option(flags, text).argParser(from).default(defaultText);

const eachFrom = (given: string, before: readonly string[]): readonly string[] => [...before, given];

// Lines of what is loaded from here on are named as they were written, not as they were built.
process.setSourceMapsEnabled(true);

// By its name, wherever the build puts this file.
const { version } = createRequire(import.meta.url)("gemach/package.json") as { readonly version: string };

// Who reads only the beginning, as `gemach demo | head` does, has what they want.
process.stdout.on("error", (error: NodeJS.ErrnoException) => {
  if (error.code === "EPIPE") process.exit();
  throw error;
});

// What stands after two dashes is a command of the user's.
const dashes = process.argv.indexOf("--");
const [own, command] =
  dashes < 0 ? [process.argv, []] : [process.argv.slice(0, dashes), process.argv.slice(dashes + 1)];

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
  .option("--verbose", "show where an error comes from", false)
  .action(async (options: { size: number; seed: number; file: string; json: boolean; verbose: boolean }) => {
    try {
      const { demo } = await import("./demo.js");
      const told = (text: string): void => {
        progressEnds();
        print(text);
      };
      await demo(options, told, progress);
    } catch (error) {
      fail(error, options);
    }
  });

const onDatabase = new Option("--database <name>", "a database of the settings; the first by default");
const verb = new Option("--verb <verb>", "the verb that runs it").choices(["list", "count", "exists"]).default("list");

ofProject<[], ProjectOptions>(
  program
    .command("queries")
    .description("List the queries that the project exports.")
    .addHelpText("after", "\nExamples:\n  gemach queries\n  gemach queries --json"),
  {},
  async (project, _, options) => (await import("./commands.js")).queries(project, options),
);

ofProject<[string], SqlOptions>(
  program
    .command("sql")
    .description("Show the SQL of a query. Needs no database.")
    .argument("<query>", "its name, as `gemach queries` lists it")
    .addHelpText("after", "\nExamples:\n  gemach sql overdue\n  gemach sql overdue --engine postgres --verb count"),
  {
    engine: new Option("--engine <engine>", "whose SQL; that of the first database by default").choices([
      "sqlite",
      "postgres",
      "pglite",
      "mariadb",
    ]),
    verb: new Option("--verb <verb>", "the verb that runs it")
      .choices(["list", "count", "exists", "single"])
      .default("list"),
    how: new Option("--how <strategy>", "the strategy of loading").choices(strategies).default("auto"),
  },
  async (project, [name], options) => (await import("./statement-commands.js")).sqlOf(project, name, options),
);

ofProject<[string], ExplainCommand>(
  program
    .command("explain")
    .description("Show the plans by which a database executes a query. Changes nothing.")
    .argument("<query>", "its name, as `gemach queries` lists it")
    .addHelpText(
      "after",
      "\nExamples:\n  gemach explain overdue\n  gemach explain overdue --analyze --database server",
    ),
  {
    database: onDatabase,
    verb,
    analyze: option("--analyze", "run the statements, and measure rows and times", false),
  },
  async (project, [name], options) => (await import("./statement-commands.js")).explain(project, name, options),
);

ofProject<[string], CompareCommand>(
  program
    .command("compare")
    .description("Run a query by every strategy, and show what each costs.")
    .argument("<query>", "its name, as `gemach queries` lists it")
    .addHelpText(
      "after",
      "\nExamples:\n  gemach compare depotsWithItems --latency 2ms\n  gemach compare overdue --index 'Loan: returned, due'",
    ),
  {
    database: onDatabase,
    rounds: read("--rounds <number>", "how often it is run by each", wholeFrom(1, 10_000), 9),
    latency: read("--latency <time>", "a way to the server that each statement is taken to have further", timeFrom, 0),
    index: option("--index <columns>", "an index to try, as 'Loan: due desc, id'; it is gone afterwards"),
    plans: option("--plans", "show the plans too", false),
  },
  async (project, [name], options) => (await import("./commands.js")).compareQuery(project, name, options),
);

ofProject<[readonly string[]], AuditCommand>(
  program
    .command("audit")
    .description(
      "Explain every query on every database, and tell what is wasteful, with its remedy; after --, run a command and tell so of what it sends.",
    )
    .argument("[queries...]", "names of queries; all by default")
    .addHelpText(
      "after",
      "\nExamples:\n  gemach audit\n  gemach audit overdue --database server\n  gemach audit -- npm test\n  gemach audit --save-baseline audit.json\n  gemach audit --baseline audit.json --sarif audit.sarif",
    ),
  {
    database: read("--database <names>", "databases of the settings; all by default", listFrom, []),
    model: option("--model", "look at the model too: its indexes, relations, and what servers remember", false),
    markdown: option("--markdown <file>", "write a report in Markdown"),
    sarif: option("--sarif <file>", "write the findings as SARIF 2.1.0, for code scanning"),
    baseline: option("--baseline <file>", "let the findings of this file pass: only new ones count"),
    saveBaseline: option("--save-baseline <file>", "write the findings down as a baseline"),
    failOn: new Option("--fail-on <severity>", "the exit code is 1 from this severity on")
      .choices(["warning", "note", "never"])
      .default("warning"),
  },
  async (project, [names], options) => (await import("./commands.js")).audit(project, names, options, version),
  async (options) => {
    if (command.length === 0) return false;
    await (await import("./commands.js")).auditRun(command as [string, ...string[]], options);
    return true;
  },
);

ofProject<[], AdoptCommand>(
  program
    .command("adopt")
    .description(
      "Make a model of a database that exists; where there is one, show what the database has and it has not.",
    )
    .addHelpText(
      "after",
      "\nExamples:\n  gemach adopt --url postgres://lending@127.0.0.1/lending --out src/model.ts --name Lending\n  gemach adopt --guess\n  gemach adopt --schemas shop,archive",
    ),
  {
    database: onDatabase,
    url: option("--url <url>", "a database that no settings name: postgres://…, mariadb://…, sqlite:file"),
    schemas: read("--schemas <names>", "further schemas than the connection's own", listFrom, []),
    out: option("--out <file>", "the module to write; that of the settings, or model.ts"),
    name: option("--name <name>", "the name of the model's class", "Tables"),
    guess: option("--guess", "propose relations that no constraint backs, by names and rows", false),
    perSchema: option("--per-schema", "a module for each schema, beside that of the model", false),
    start: option("--no-start", "write no migration that says what was there"),
    dryRun: option("--dry-run", "write nothing, and show the module", false),
  },
  async (project, _, options) => (await import("./commands.js")).adopt(project, options),
  async (options) => {
    if (options.url === undefined) return false;
    const { adopt, projectOf } = await import("./commands.js");
    await adopt(projectOf(options.url), options);
    return true;
  },
);

ofProject<[string], DraftCommand>(
  program
    .command("draft")
    .description("Draft the migration that brings the databases to what the model says, as SQL to read and change.")
    .argument("<name>", "what it is for, as its files are to be called: due-index")
    .addHelpText(
      "after",
      "\nExamples:\n  gemach draft due-index\n  gemach draft due-on --rename loan.due=due_on\n  gemach draft less --allow 'drop column loan.note'",
    ),
  {
    database: read("--database <names>", "databases of the settings, one of each engine; all by default", listFrom, []),
    from: new Option(
      "--from <what>",
      "what the model is compared with; what the migrations make, if there are any",
    ).choices(["migrations", "database"]),
    rename: read("--rename <names>", "what goes on under another name: loan.due=due_on, member=person", listFrom, []),
    allow: read(
      "--allow <loss>",
      "a loss of data that is meant, in its own words, or 'all'; may be given several times",
      eachFrom,
      [],
    ),
    online: option(
      "--online",
      "write it in steps that keep nobody waiting: before the new code is out, beside it, after it",
      false,
    ),
    dryRun: option("--dry-run", "write nothing, and show the statements", false),
  },
  async (project, [name], options) => (await import("./commands.js")).draft(project, name, options),
);

ofProject<[], ApplyCommand>(
  program
    .command("apply")
    .description("Run the migrations that are pending on a database, in their order, each whole or not at all.")
    .addHelpText(
      "after",
      "\nExamples:\n  gemach apply\n  gemach apply --database server --dry-run\n  gemach apply --undo",
    ),
  {
    database: onDatabase,
    to: option("--to <migration>", "the last one to run, by its number or name"),
    undo: option("--undo", "undo the last one, or all that come after --to", false),
    dryRun: option("--dry-run", "show what would run, and whether rows are in its way", false),
    late: option("--late", "run also those whose number is lower than that of one that has run", false),
  },
  async (project, _, options) => (await import("./commands.js")).apply(project, options),
);

ofProject<[], VerifyCommand>(
  program
    .command("verify")
    .description("Compare model, migrations and databases with each other; the exit code is 1 where they differ.")
    .addHelpText("after", "\nExamples:\n  gemach verify\n  gemach verify --database server --json"),
  {
    database: read("--database <names>", "databases of the settings; all by default", listFrom, []),
    skipMigrations: option("--skip-migrations", "do not try the migrations on an empty database", false),
  },
  async (project, _, options) => (await import("./commands.js")).verify(project, options),
);

ofProject<[], MapCommand>(
  program
    .command("map")
    .description("Draw the model: entities, their columns, and the keys between them.")
    .addHelpText(
      "after",
      "\nExamples:\n  gemach map\n  gemach map --around Loan --steps 2 --out loan.svg\n  gemach map --format mermaid",
    ),
  {
    around: option("--around <entity>", "only what is near to this entity"),
    steps: read("--steps <number>", "how near: how many keys away", wholeFrom(0, 100), 1),
    format: new Option("--format <format>", "by the ending of --out, else SVG").choices(["svg", "mermaid"]),
    out: option("--out <file>", "the file to write: map.svg, model.mmd; Mermaid is printed where it is left out"),
  },
  async (project, _, options) => (await import("./commands.js")).map(project, options),
);

program
  .command("completions")
  .description("Print the script that completes commands and options in a shell.")
  .addArgument(new Argument("<shell>", "the shell").choices(["bash", "zsh", "fish"]))
  .addHelpText("after", "\nExample:\n  gemach completions bash >> ~/.bashrc")
  .action(async (shell: "bash" | "zsh" | "fish") => {
    const { completions } = await import("./commands.js");
    print(completions(program, shell));
  });

try {
  await program.parseAsync(own);
} catch (error) {
  if (!(error instanceof CommanderError)) throw error;
  process.exitCode = error.exitCode === 0 ? 0 : misused;
}
