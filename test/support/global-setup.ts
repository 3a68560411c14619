import type { TestProject } from "vitest/node";
import { postgresAnswers } from "./servers.js";

/** An engine, with the package by which it is reached. */
export type EngineName = "sqlite" | "node-sqlite" | "postgres";

declare module "vitest" {
  interface ProvidedContext {
    /** The engines that the tests run on. */
    engines: readonly EngineName[];
  }
}

/** Finds the servers that answer, and says what is left out; under CI=true that is a failure. */
export default async function setup(project: TestProject): Promise<void> {
  // For a run under another Node, whose SQLite is built in and for which no addon was compiled.
  const only = process.env.GEMACH_ENGINES?.split(",");
  if (only !== undefined) return project.provide("engines", only as EngineName[]);
  const postgres = await postgresAnswers();
  project.provide("engines", postgres === true ? ["sqlite", "postgres"] : ["sqlite"]);
  if (postgres === true) return;
  const left = `left out: PostgreSQL server (${postgres}; set GEMACH_POSTGRES_URL)`;
  if (process.env.CI === "true") throw new Error(left);
  console.log(left);
}
