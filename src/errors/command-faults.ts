import { define } from "./define.js";
import { didYouMean, listed } from "./suggest.js";

/** Faults of the command line: of a project's settings, its queries and its databases. */
export const commandFaults = () =>
  ({
    SETTINGS_MISSING: define(
      (n: { file: string }) => `There is no settings file '${n.file}'.`,
      "Write one that names databases and the modules that export queries (docs/cli.md), or name another with --config.",
    ),
    SETTINGS_INVALID: define(
      (n: { file: string; reason: string }) => `The settings file '${n.file}' cannot be used: ${n.reason}.`,
      "docs/cli.md says what it may hold; `export default { … } satisfies ProjectSettings` has the compiler check it.",
    ),
    MODULE_UNUSABLE: define(
      (n: { file: string; reason: string }) =>
        `The module '${n.file}', which the settings name, cannot be loaded: ${n.reason}.`,
      "Correct the module, or the path in the settings, which is seen from the folder of the settings file.",
    ),
    QUERY_UNKNOWN: define(
      (n: { name: string; known: readonly string[] }) =>
        `The project exports no query '${n.name}'.${didYouMean(n.name, n.known)}`,
      "`gemach queries` lists those there are.",
    ),
    ENTITY_UNKNOWN: define(
      (n: { name: string; known: readonly string[] }) =>
        `The model has no entity '${n.name}'.${didYouMean(n.name, n.known)}`,
      (n: { known: readonly string[] }) => `It has ${listed(n.known)}.`,
    ),
    DATABASE_UNKNOWN: define(
      (n: { name: string; known: readonly string[] }) =>
        `The settings have no database '${n.name}'; they have ${listed(n.known) || "none"}.${didYouMean(n.name, n.known)}`,
      "Name one of them with --database, or add it to the settings.",
    ),
    SAMPLE_MISSING: define(
      (n: { query: string; reason: string }) =>
        `The query '${n.query}' takes values, and none can be made up: ${n.reason}.`,
      "Give it some in the settings: samples: { name: { parameter: value } }, or [argument, …] where it is a function.",
    ),
  }) as const;
