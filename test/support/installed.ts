import { execFile } from "node:child_process";
import { randomBytes } from "node:crypto";
import { mkdirSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import { inject } from "vitest";

const run = promisify(execFile);
const root = fileURLToPath(new URL("../..", import.meta.url));

/** A project that has the library as users have it: built, packed, and installed from the packed file. */
export interface Installed {
  /** The project's folder. */
  readonly folder: string;
  /** A file of the installed package. */
  file(path: string): string;
  /** Writes a file of the project, and gives its place. */
  write(path: string, text: string): string;
  /** Runs a script of the project, and gives what it printed. */
  run(file: string): Promise<string>;
  /** The compiler's messages on the project in a folder of this one: by TypeScript 5, 6 or 7. */
  compile(version: 5 | 6 | 7, ...words: readonly string[]): Promise<string>;
  remove(): void;
}

/** The package as it is published, as one file: made once for all tests of a process, which share their modules. */
let packed: Promise<string> | undefined;

async function pack(): Promise<string> {
  const folder = join(inject("packs"), String(process.pid));
  // A copy of the checkout's files that are published, so that no other build is overwritten.
  await run(process.execPath, [join(root, "scripts/build.mjs"), join(folder, "dist")]);
  for (const path of ["package.json", "README.md", "LICENSE", "CHANGELOG.md", "docs", "src"]) await run("cp", ["-r", join(root, path), folder]);
  const { stdout } = await run("npm", ["pack", "--ignore-scripts", "--json"], { cwd: folder });
  const [{ filename }] = JSON.parse(stdout) as [{ filename: string }];
  return join(folder, filename);
}

/** Builds and installs the package; its dependencies are found where those of the tests are. */
export async function install(): Promise<Installed> {
  packed ??= pack();
  const file = await packed;
  const folder = join(root, "node_modules", `.installed-${randomBytes(4).toString("hex")}`);
  const own = join(folder, "node_modules", "gemach");
  mkdirSync(own, { recursive: true });
  await run("tar", ["-xzf", file, "--strip-components=1", "-C", own]);
  const compilers = { 5: "typescript-5", 6: "typescript-6", 7: "typescript" } as const;
  return {
    folder,
    file: (path) => join(own, path),
    write: (path, text) => {
      const file = join(folder, path);
      mkdirSync(dirname(file), { recursive: true });
      writeFileSync(file, text);
      return file;
    },
    run: async (file) => (await run(process.execPath, [join(folder, file)], { cwd: folder })).stdout.trim(),
    compile: async (version, ...words) => {
      const compiler = join(root, "node_modules", compilers[version], "bin/tsc");
      const done = await run(process.execPath, [compiler, ...words], { cwd: folder }).catch((error: { stdout: string }) => error);
      return done.stdout.trim();
    },
    remove: () => rmSync(folder, { recursive: true }),
  };
}
