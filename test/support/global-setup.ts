import type { TestProject } from "vitest/node";
import { postgresAnswers } from "./servers.js";

declare module "vitest" {
  interface ProvidedContext {
    /** The engines that the tests run on. */
    engines: readonly ("sqlite" | "postgres")[];
  }
}

/** Finds the servers that answer, and says what is left out; under CI=true that is a failure. */
export default async function setup(project: TestProject): Promise<void> {
  const postgres = await postgresAnswers();
  project.provide("engines", postgres === true ? ["sqlite", "postgres"] : ["sqlite"]);
  if (postgres === true) return;
  const left = `left out: PostgreSQL server (${postgres}; set GEMACH_POSTGRES_URL)`;
  if (process.env.CI === "true") throw new Error(left);
  console.log(left);
}
