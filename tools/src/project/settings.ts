import type { GemachError } from "gemach";
import type { ProjectSettings } from "gemach/config";
import { toolError } from "gemach/tooling";

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
