import { execFile } from "node:child_process";
import { cpSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import type { Installed } from "./installed.js";

const run = promisify(execFile);
const root = fileURLToPath(new URL("../..", import.meta.url));

/** Vite, as users call it. */
export const vite = join(root, "node_modules/vite/bin/vite.js");

/** An example, copied beside an installed package as a reader would copy it out, and built for production. */
export async function buildExample(installed: Installed, name: string, builds: readonly (readonly string[])[] = [[]]): Promise<string> {
  const folder = join(installed.folder, name);
  cpSync(join(root, "examples", name), folder, { recursive: true, filter: (path) => !/\/(dist|node_modules)$|\.sqlite(-\w+)?$/.test(path) });
  // What tests run under would have the page's packages built for development.
  const env = { ...process.env, NODE_ENV: "production" };
  for (const words of builds) await run(process.execPath, [vite, "build", "--logLevel", "error", ...words], { cwd: folder, env });
  return folder;
}
