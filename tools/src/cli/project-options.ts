import type { Command, Option } from "commander";
import type { Project } from "../project/index.js";
import { fail } from "./terminal.js";

/** Options that every command of a project has. */
export interface ProjectOptions {
  readonly config: string;
  readonly json: boolean;
  readonly verbose: boolean;
}

/** The options of a command, by the members of what it takes: one without the other does not compile. */
type OptionsOf<O> = { readonly [M in Exclude<keyof O, keyof ProjectOptions>]-?: Option };

/**
 * A command with the options of a project and its own, and what it does; errors are told, and end it.
 * @param instead does something else, for which no project is needed; gives whether it did.
 */
export function ofProject<A extends readonly unknown[], O>(
  command: Command,
  own: OptionsOf<O>,
  work: (project: Project, args: A, options: O & ProjectOptions) => Promise<void>,
  instead: (options: O & ProjectOptions) => Promise<boolean> = async () => false,
): Command {
  for (const option of Object.values<Option>(own)) command.addOption(option);
  return command
    .option("--config <file>", "the settings of the project", "gemach.config.ts")
    .option("--json", "print the facts as JSON", false)
    .option("--verbose", "show where an error comes from", false)
    .action(async (...given: unknown[]) => {
      const options = given.at(-2) as O & ProjectOptions;
      try {
        if (await instead(options)) return;
        const { loadProject } = await import("./commands.js");
        await work(await loadProject(options.config), given.slice(0, -2) as unknown as A, options);
      } catch (error) {
        fail(error, options);
      }
    });
}
