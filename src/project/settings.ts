import type { Database } from "../database/index.js";
import { type GemachError, toolError } from "../errors/index.js";
import type { Accepted, Thresholds } from "../findings/index.js";

/** A database that was opened for a command, which closes it at its end. */
export interface OpenedDatabase {
  readonly db: Database;
  readonly close: () => unknown;
}

/**
 * The settings of a project, the default export of `gemach.config.ts`. Paths are seen from its folder.
 */
export interface ProjectSettings {
  /**
   * Databases by name; the first is taken where none is named. Each is a URL (`sqlite:file`, `postgres://…`,
   * `mariadb://…`, `pglite:folder`), or a function that opens one.
   */
  readonly databases: Readonly<Record<string, string | (() => OpenedDatabase | Promise<OpenedDatabase>)>>;
  /** The module that exports the model. */
  readonly model?: string;
  /** The folder of migrations; "migrations" where it is left out. */
  readonly migrations?: string;
  /** The modules that export queries: queries, templates, and functions that give a query. */
  readonly queries?: string | readonly string[];
  /**
   * What templates and functions are given where they are looked at, by the name of the query: an object of parameters,
   * or a list of arguments.
   */
  readonly samples?: Readonly<Record<string, Readonly<Record<string, unknown>> | readonly unknown[]>>;
  /** From when on something is a finding. */
  readonly thresholds?: Partial<Thresholds>;
  /** Findings that are meant. */
  readonly accepts?: readonly Accepted[];
}

const known: readonly (keyof ProjectSettings)[] = [
  "databases",
  "model",
  "migrations",
  "queries",
  "samples",
  "thresholds",
  "accepts",
];

const isObject = (value: unknown): value is Readonly<Record<string, unknown>> =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/**
 * Settings as a file gave them.
 * @throws GemachError `SETTINGS_INVALID`
 */
export function settingsIn(value: unknown, file: string): ProjectSettings {
  const invalid = (reason: string): GemachError<"SETTINGS_INVALID"> => toolError("SETTINGS_INVALID", { file, reason });
  if (!isObject(value)) throw invalid("it has no default export that is an object");
  const unknown = Object.keys(value).find((name) => !known.includes(name as keyof ProjectSettings));
  if (unknown !== undefined) throw invalid(`'${unknown}' is none of ${known.join(", ")}`);
  const { databases, model, migrations, queries, samples = {}, accepts = [] } = value;
  if (!isObject(databases) || Object.keys(databases).length === 0)
    throw invalid("'databases' names none, as in { local: 'sqlite:lending.sqlite' }");
  for (const [name, one] of Object.entries(databases))
    if (typeof one !== "string" && typeof one !== "function")
      throw invalid(`the database '${name}' is neither a URL nor a function`);
  if (model !== undefined && typeof model !== "string") throw invalid("'model' is no path");
  if (migrations !== undefined && typeof migrations !== "string") throw invalid("'migrations' is no path");
  if (queries !== undefined && ![queries].flat().every((path) => typeof path === "string"))
    throw invalid("'queries' is no path, nor a list of such");
  if (!isObject(samples)) throw invalid("'samples' is no object");
  if (!Array.isArray(accepts)) throw invalid("'accepts' is no list");
  return value as unknown as ProjectSettings;
}
