import { execFile } from "node:child_process";
import { randomBytes } from "node:crypto";
import { existsSync, mkdirSync, readFileSync, renameSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { setTimeout } from "node:timers/promises";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import { inject } from "vitest";

const run = promisify(execFile);
const root = fileURLToPath(new URL("../..", import.meta.url));

/** A project that has the library as users have it: built, packed, and installed from the packed file. */
export interface Installed {
  /** The project's folder. */
  readonly folder: string;
  /** A file of the installed library. */
  file(path: string): string;
  /** A file of the installed tools. */
  tool(path: string): string;
  /** Writes a file of the project, and gives its place. */
  write(path: string, text: string): string;
  /** Runs a script of the project, and gives what it printed. */
  run(file: string): Promise<string>;
  /** The compiler's messages on the project in a folder of this one: by TypeScript 5, 6 or 7. */
  compile(version: 5 | 6 | 7, ...words: readonly string[]): Promise<string>;
  remove(): void;
}

/** The packages as they are published, each as one file: made by whichever process of a run asks first, for all of them. */
let packed: Promise<readonly string[]> | undefined;

async function packOnce(): Promise<readonly string[]> {
  const folder = inject("packs");
  const done = join(folder, "packed.json");
  const isFirst = mkdirSync(folder, { recursive: true }) !== undefined;
  if (isFirst) {
    const files = await pack(join(folder, "package")).catch((error: unknown) => String(error));
    writeFileSync(`${done}.new`, JSON.stringify(files));
    renameSync(`${done}.new`, done);
  }
  while (!existsSync(done)) await setTimeout(100);
  const files = JSON.parse(readFileSync(done, "utf8")) as readonly string[] | string;
  if (typeof files === "string") throw new Error(files);
  return files;
}

async function pack(folder: string): Promise<readonly string[]> {
  // A copy of the checkout's files that are published, so that no other build is overwritten.
  await run(process.execPath, [join(root, "scripts/build.mjs"), folder]);
  for (const path of ["package.json", "README.md", "LICENSE", "CHANGELOG.md", "docs", "src"]) await run("cp", ["-r", join(root, path), folder]);
  for (const path of ["package.json", "README.md", "LICENSE", "src"]) await run("cp", ["-r", join(root, "tools", path), join(folder, "tools")]);
  const files: string[] = [];
  for (const cwd of [folder, join(folder, "tools")]) {
    const { stdout } = await run("npm", ["pack", "--ignore-scripts", "--json"], { cwd });
    const [{ filename }] = JSON.parse(stdout) as [{ filename: string }];
    files.push(join(cwd, filename));
  }
  return files;
}

/** Builds and installs the packages; their dependencies are found where those of the tests are. */
export async function install(): Promise<Installed> {
  packed ??= packOnce();
  const files = await packed;
  const folder = join(root, "node_modules", `.installed-${randomBytes(4).toString("hex")}`);
  const [own, tools] = ["gemach", "gemach-tools"].map((name) => join(folder, "node_modules", name)) as [string, string];
  for (const [i, target] of [own, tools].entries()) {
    mkdirSync(target, { recursive: true });
    await run("tar", ["-xzf", files[i] as string, "--strip-components=1", "-C", target]);
  }
  const compilers = { 5: "typescript-5", 6: "typescript-6", 7: "typescript" } as const;
  return {
    folder,
    file: (path) => join(own, path),
    tool: (path) => join(tools, path),
    write: (path, text) => {
      const file = join(folder, path);
      mkdirSync(dirname(file), { recursive: true });
      writeFileSync(file, text);
      return file;
    },
    run: async (file) => (await run(process.execPath, [join(folder, file)], { cwd: folder })).stdout.trim(),
    compile: async (version, ...words) => {
      const compiler = join(root, "node_modules", compilers[version], "bin/tsc");
      const options = { cwd: folder, timeout: 120_000, killSignal: "SIGKILL" as const };
      const limits = ["--max-old-space-size=3000"];
      return await run(process.execPath, [...limits, compiler, ...words], options).then(
        ({ stdout }) => stdout.trim(),
        ({ stdout, signal }: { stdout: string; signal: string | null }) => (signal === null ? stdout.trim() : `ended by ${signal}`),
      );
    },
    remove: () => rmSync(folder, { recursive: true }),
  };
}
