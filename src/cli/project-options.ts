import type { Command } from "commander";
import type { Project } from "../project/index.js";
import { fail } from "./terminal.js";

/** Options that every command of a project has. */
export interface ProjectOptions {
  readonly config: string;
  readonly json: boolean;
  readonly verbose: boolean;
}

/**
 * A command with the options of a project, and what it does; errors are told, and end it.
 * @param instead does something else, for which no project is needed; gives whether it did.
 */
export function ofProject<A extends readonly unknown[], O extends ProjectOptions>(
  command: Command,
  work: (project: Project, args: A, options: O) => Promise<void>,
  instead: (options: O) => Promise<boolean> = async () => false,
): Command {
  return command
    .option("--config <file>", "the settings of the project", "gemach.config.ts")
    .option("--json", "print the facts as JSON", false)
    .option("--verbose", "show where an error comes from", false)
    .action(async (...given: unknown[]) => {
      const options = given.at(-2) as O;
      try {
        if (await instead(options)) return;
        const { loadProject } = await import("./commands.js");
        await work(await loadProject(options.config), given.slice(0, -2) as unknown as A, options);
      } catch (error) {
        fail(error, options);
      }
    });
}
