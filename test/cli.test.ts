import { execFile } from "node:child_process";
import { existsSync, mkdtempSync, readFileSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { promisify } from "node:util";
import Sqlite from "better-sqlite3";
import { afterAll, beforeAll, expect, test } from "vitest";
import { type Installed, install } from "./support/installed.js";

const run = promisify(execFile);
const folder = mkdtempSync(join(tmpdir(), "gemach-cli-"));

interface Outcome {
  readonly code: number;
  readonly stdout: string;
  readonly stderr: string;
}

const gemach = async (...words: string[]): Promise<Outcome> => {
  try {
    return {
      code: 0,
      ...(await run(process.execPath, [installed.file("dist/cli.js"), ...words], {
        cwd: folder,
        env: { ...process.env, NO_COLOR: "1" },
      })),
    };
  } catch (error) {
    return error as Outcome;
  }
};

let installed: Installed;
beforeAll(async () => {
  installed = await install();
});
afterAll(() => {
  rmSync(folder, { recursive: true });
  installed.remove();
});

test("the demo tells its story, and leaves a database that holds the rows", async () => {
  const { code, stdout, stderr } = await gemach("demo", "--size", "8");
  expect([code, stderr]).toEqual([0, ""]);
  // Its code is shown as it was written.
  expect(stdout).toContain("for (const depot of await db.list(from(Depot))) {");
  for (const words of [
    "1 in district · 8 in depot · 200 in item · 80 in member · 600 in loan",
    "9 statements · 208 rows · its time counts as 1.00",
    "2 statements · 208 rows",
    "sent 8 times by story.ts, line ",
    "left join item as items on items.depot_id = depot.id",
    "projection      │          1 │    8 │",
    "Chapters of one question gave deeply equal answers.",
    join(folder, "lending.sqlite"),
  ])
    expect(stdout).toContain(words);
  const handle = new Sqlite(join(folder, "lending.sqlite"), { readonly: true });
  expect(handle.prepare("select count(*) from loan").pluck().get()).toBe(600);
  handle.close();
});

test("the demo gives the same facts as JSON, the same data for the same seed", async () => {
  const facts = async (...words: string[]) => JSON.parse((await gemach("demo", "--size", "3", "--json", ...words)).stdout);
  const [one, again, other] = [await facts(), await facts(), await facts("--seed", "8")];
  expect(one).toMatchObject({
    file: join(folder, "lending.sqlite"),
    size: 3,
    seed: 7,
    tables: expect.arrayContaining([
      { table: "district", rows: 1 },
      { table: "depot", rows: 3 },
    ]),
  });
  expect(
    one.chapters.map((chapter: { name: string; totals: { statements: number }; sameAnswer: boolean }) => [
      chapter.name,
      chapter.totals.statements,
      chapter.sameAnswer,
    ]),
  ).toEqual([
    ["loop", 4, true],
    ["batch", 2, true],
    ["join", 1, true],
    ["count-in-memory", 1, true],
    ["count", 1, true],
    ["everything", 3, true],
    ["projection", 1, true],
    ["lazy-each", 22, true],
    ["lazy", 2, true],
    ["change", 2, true],
    ["refused", 1, true],
  ]);
  const rows = (told: { chapters: { totals: { rows: number } }[] }) => told.chapters.map(({ totals }) => totals.rows);
  expect(rows(again)).toEqual(rows(one));
  expect(rows(other)).not.toEqual(rows(one));
});

test.each([
  ["an unknown command", ["dmo"], 2, "unknown command 'dmo'"],
  ["an unknown option", ["demo", "--sise", "3"], 2, "Did you mean --size?"],
  ["a size that is no number", ["demo", "--size", "many"], 2, "whole number from 1 to 20000"],
  ["a folder that is not there", ["demo", "--file", "nowhere/x.sqlite"], 1, "its folder does not exist"],
  ["a folder for a file", ["demo", "--file", "."], 1, "FILE_UNUSABLE"],
])("%s is an error that says so", async (_, words, code, message) => {
  const outcome = await gemach(...words);
  expect(outcome.code).toBe(code);
  expect(outcome.stderr).toContain(message);
  expect(outcome.stderr).not.toContain("    at ");
});

test("a file that no demo made is never replaced", async () => {
  const file = join(folder, "mine.sqlite");
  const handle = new Sqlite(file);
  handle.exec("create table mine (id integer)");
  handle.close();
  const { code, stderr } = await gemach("demo", "--file", file, "--json");
  expect(code).toBe(1);
  expect(JSON.parse(stderr)).toMatchObject({ error: { code: "FILE_UNUSABLE", names: { file } } });
  expect(existsSync(file)).toBe(true);
});

test("a reader that stops early is no error", async () => {
  const command = `"${process.execPath}" "${installed.file("dist/cli.js")}" demo --size 3 | head -n 1`;
  const { stdout, stderr } = await run("bash", ["-o", "pipefail", "-c", command], { cwd: folder });
  expect([stdout.trim().length > 0, stderr]).toEqual([true, ""]);
});

test("help and version", async () => {
  expect((await gemach("--help")).stdout).toContain("demo [options]");
  expect((await gemach("--version")).stdout.trim()).toBe((JSON.parse(readFileSync(installed.file("package.json"), "utf8")) as { version: string }).version);
});
