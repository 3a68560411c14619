import { execFile } from "node:child_process";
import { existsSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import Sqlite from "better-sqlite3";
import { afterAll, beforeAll, expect, test } from "vitest";
import { type Installed, install } from "./support/installed.js";

// The stories of docs/schema.md, each in a folder of its own: files as they are shown, SQL run on its database, and commands that print
// what stands below them. GEMACH_UPDATE=1 writes down what they print.
const document = fileURLToPath(new URL("../docs/schema.md", import.meta.url));
const isUpdating = process.env.GEMACH_UPDATE !== undefined;
const run = promisify(execFile);
let text = readFileSync(document, "utf8");
const stories = text
  .split(/^(?=## )/m)
  .filter((part) => part.startsWith("## Story: "))
  .map((part) => ({ title: /^## Story: (.*)$/m.exec(part)?.[1] as string, part }));

let installed: Installed;
beforeAll(async () => {
  installed = await install();
});
afterAll(() => {
  installed.remove();
  if (isUpdating) writeFileSync(document, text);
});

/** Times differ from run to run. */
const settled = (told: string): string => told.replaceAll(/\d+(?:\.\d+)? ms/g, "… ms").trimEnd();

test.each(stories)("$title", async ({ title, part }) => {
  const folder = join(installed.folder, title.replaceAll(/\W+/g, "-"));
  mkdirSync(folder);
  const gemach = `gemach() { "${process.execPath}" "${installed.file("dist/cli.js")}" "$@"; }; `;
  const shell = async (command: string): Promise<string> => {
    const settings = { cwd: folder, env: { ...process.env, NO_COLOR: "1", COLUMNS: "100" } };
    const { stdout, stderr } = await run("bash", ["-c", gemach + command], settings).catch((error: { stdout: string; stderr: string }) => error);
    return settled(stdout + stderr);
  };
  let told = 0;
  for (const [block, language, file = "", body = ""] of part.matchAll(/^```(ts|sql|console)(?: (\S+))?\n([\s\S]*?)^```$/gm)) {
    if (language === "ts") writeFileSync(join(folder, file), body);
    if (language === "sql") {
      const handle = new Sqlite(join(folder, file));
      handle.exec(body);
      handle.close();
    }
    if (language !== "console") continue;
    const shown: string[] = [];
    for (const [line] of body.matchAll(/^\$ .*$/gm)) {
      const printed = await shell(line.slice(2));
      shown.push(printed === "" ? line : `${line}\n${printed}`);
    }
    const now = `\`\`\`console\n${shown.join("\n")}\n\`\`\``;
    if (isUpdating) text = text.replace(block, () => now);
    else expect(block).toBe(now);
    told++;
  }
  expect(told).toBeGreaterThan(0);
  expect(existsSync(join(folder, "migrations"))).toBe(true);
});
