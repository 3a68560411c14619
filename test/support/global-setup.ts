import { rmSync } from "node:fs";
import { fileURLToPath } from "node:url";
import type { TestProject } from "vitest/node";
import { chromiumPlace } from "./chromium.js";
import { poolerPlace } from "./pooler.js";
import { mariadbAnswers, postgresAnswers } from "./servers.js";

/** An engine, with the package by which it is reached. */
export type EngineName = "sqlite" | "node-sqlite" | "wasm-sqlite" | "pglite" | "postgres" | "mariadb";

declare module "vitest" {
  interface ProvidedContext {
    /** The engines that the tests run on. */
    engines: readonly EngineName[];
    /** Where the browser is that pages are tested in; empty where there is none. */
    chromium: string;
    /** Whether the connection pooler of Debian's packages is there. */
    pooler: boolean;
    /** A folder for packed packages, which is gone after the run. */
    packs: string;
  }
}

/** Finds the servers that answer, and says what is left out; under CI=true that is a failure. */
export default async function setup(project: TestProject): Promise<() => void> {
  const packs = fileURLToPath(new URL(`../../node_modules/.packed-${process.pid}`, import.meta.url));
  const end = (): void => rmSync(packs, { recursive: true, force: true });
  project.provide("packs", packs);
  // For a run under another Node, whose SQLite is built in and for which no addon was compiled.
  const chromium = chromiumPlace();
  project.provide("chromium", chromium ?? "");
  const isPooled = poolerPlace() !== undefined;
  project.provide("pooler", isPooled);
  const only = process.env.GEMACH_ENGINES?.split(",");
  if (only !== undefined) {
    project.provide("engines", only as EngineName[]);
    return end;
  }
  const [postgres, mariadb] = [await postgresAnswers(), await mariadbAnswers()];
  const engines: EngineName[] = ["sqlite", "pglite"];
  if (postgres === true) engines.push("postgres");
  if (mariadb === true) engines.push("mariadb");
  project.provide("engines", engines);
  const left = [
    ...(postgres === true ? [] : [`PostgreSQL server (${postgres}; set GEMACH_POSTGRES_URL)`]),
    ...(mariadb === true ? [] : [`MariaDB server (${mariadb}; set GEMACH_MARIADB_URL)`]),
    ...(isPooled ? [] : ["a pooler before PostgreSQL (apt-get install pgbouncer)"]),
    ...(chromium === undefined ? ["pages in a browser (no Chromium is installed; set GEMACH_CHROMIUM)"] : []),
  ];
  if (left.length === 0) return end;
  if (process.env.CI === "true") throw new Error(`left out: ${left.join(", ")}`);
  console.log(`left out: ${left.join(", ")}`);
  return end;
}
