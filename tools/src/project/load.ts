import { existsSync, readFileSync } from "node:fs";
import { dirname, relative, resolve } from "node:path";
import { GemachError, type Query } from "gemach";
import type { ProjectSettings } from "gemach/config";
import { stateIn, toolError } from "gemach/tooling";
import { moduleAt } from "./load-module.js";
import { settingsIn } from "./settings.js";

/** The settings file that is looked for where none is named. */
const usualFile = "gemach.config.ts";

/** A query that a project exports. */
export interface ProjectQuery {
  readonly name: string;
  /** The module, as seen from the folder of the settings. */
  readonly file: string;
  /** The line of its export, from 1. */
  readonly line: number;
  /** The sample that it is run with, where it takes values: of the settings. */
  readonly sample: unknown;
  /**
   * The query itself, with sample values where it takes any.
   * @throws GemachError `SAMPLE_MISSING`
   */
  query(): Query;
}

/** A function that a module of queries exports, and that nobody has called: what it does is not known. */
export interface LeftOut {
  readonly name: string;
  readonly file: string;
  readonly line: number;
}

/** A project: its settings, and the queries that it exports. */
export interface Project {
  /** The folder of its settings file. */
  readonly folder: string;
  readonly settings: ProjectSettings;
  readonly queries: readonly ProjectQuery[];
  /** Functions that may give queries, and that `samples` does not name. */
  readonly leftOut: readonly LeftOut[];
  /** The exports of the module with the model, where the settings name one. */
  readonly model: Readonly<Record<string, unknown>> | undefined;
}

const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));

interface TemplateLike {
  with(values: unknown): Query;
}

const isTemplate = (value: unknown): value is TemplateLike =>
  typeof value === "object" && value !== null && typeof (value as TemplateLike).with === "function";

/** Words that begin the export of a name. */
const exportOf = (name: string): RegExp =>
  new RegExp(`\\bexport\\s+(?:default\\b|(?:const|let|var|(?:async\\s+)?function)\\s+${name}\\b)`);

function lineOf(text: string, name: string): number {
  const at = text.split("\n").findIndex((line) => exportOf(name).test(line));
  return Math.max(0, at) + 1;
}

/** The query of an export, by sample values where it takes some; undefined for what is none. */
function queryOf(name: string, value: unknown, sample: unknown): (() => Query) | undefined {
  if (stateIn(value) !== undefined) return () => value as Query;
  if (isTemplate(value))
    return () => {
      try {
        return value.with(sample ?? {});
      } catch (error) {
        if (sample !== undefined) throw error;
        throw toolError("SAMPLE_MISSING", { query: name, reason: messageOf(error).split("\n")[0] as string });
      }
    };
  // A function may do anything, so that only those are called that the settings name.
  if (typeof value !== "function" || sample === undefined) return undefined;
  const made: unknown = value(...(Array.isArray(sample) ? sample : [sample]));
  return stateIn(made) === undefined ? undefined : () => made as Query;
}

/** Whether an export is a function that is no class, and might give a query. */
const isPlainFunction = (value: unknown): boolean =>
  typeof value === "function" && !/^class\b/.test(Function.prototype.toString.call(value));

/** The queries of one module, and the functions that were left out. */
async function queriesOf(
  folder: string,
  path: string,
  samples: Readonly<Record<string, unknown>>,
): Promise<{ readonly queries: readonly ProjectQuery[]; readonly leftOut: readonly LeftOut[] }> {
  const file = resolve(folder, path);
  const shown = relative(folder, file).replaceAll("\\", "/");
  if (!existsSync(file)) throw toolError("MODULE_UNUSABLE", { file: shown, reason: "there is no such file" });
  const text = readFileSync(file, "utf8");
  try {
    const [queries, leftOut]: [ProjectQuery[], LeftOut[]] = [[], []];
    for (const [name, value] of Object.entries(await moduleAt(file))) {
      const sample = Object.hasOwn(samples, name) ? samples[name] : undefined;
      const query = queryOf(name, value, sample);
      const at = { name, file: shown, line: lineOf(text, name) };
      if (query !== undefined) queries.push({ ...at, sample, query });
      else if (sample === undefined && isPlainFunction(value)) leftOut.push(at);
    }
    return { queries, leftOut };
  } catch (error) {
    if (error instanceof GemachError && error.code === "SAMPLE_MISSING") throw error;
    throw toolError("MODULE_UNUSABLE", { file: shown, reason: messageOf(error) }, { cause: error });
  }
}

/**
 * Loads a project.
 * @param file its settings file, as seen from where the program runs.
 * @throws GemachError `SETTINGS_MISSING`, `SETTINGS_INVALID`, `MODULE_UNUSABLE`
 */
export async function loadProject(file: string = usualFile): Promise<Project> {
  const path = resolve(file);
  if (!existsSync(path)) throw toolError("SETTINGS_MISSING", { file });
  let loaded: Readonly<Record<string, unknown>>;
  try {
    loaded = await moduleAt(path);
  } catch (error) {
    throw toolError("SETTINGS_INVALID", { file, reason: messageOf(error) }, { cause: error });
  }
  const folder = dirname(path);
  const settings = settingsIn(loaded.default, file);
  const modules = [settings.queries ?? []].flat();
  const queries: ProjectQuery[] = [];
  const leftOut: LeftOut[] = [];
  for (const one of modules) {
    const found = await queriesOf(folder, one, settings.samples ?? {});
    leftOut.push(...found.leftOut);
    for (const query of found.queries) {
      const isTaken = queries.some(({ name }) => name === query.name);
      queries.push(isTaken ? { ...query, name: `${query.file}:${query.name}` } : query);
    }
  }
  const model = settings.model === undefined ? undefined : await modelAt(folder, settings.model);
  return { folder, settings, queries, leftOut, model };
}

async function modelAt(folder: string, path: string): Promise<Readonly<Record<string, unknown>>> {
  try {
    return await moduleAt(resolve(folder, path));
  } catch (error) {
    throw toolError("MODULE_UNUSABLE", { file: path, reason: messageOf(error) }, { cause: error });
  }
}

/**
 * A query of a project by its name.
 * @throws GemachError `QUERY_UNKNOWN`
 */
export function queryNamed({ queries }: Project, name: string): ProjectQuery {
  const found = queries.find((query) => query.name === name);
  if (found !== undefined) return found;
  throw toolError("QUERY_UNKNOWN", { name, known: queries.map((query) => query.name) });
}
