import { execFile } from "node:child_process";
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import { afterAll, beforeAll, expect, test } from "vitest";
import { faults, toolFaults, workFaults } from "../src/errors/index.js";

const root = fileURLToPath(new URL("..", import.meta.url));
const folder = join(root, "test", "examples-of-documents");
const documents = [
  "README.md",
  "CONTRIBUTING.md",
  "CHANGELOG.md",
  ...readdirSync(join(root, "docs"))
    .filter((file) => file.endsWith(".md"))
    .map((file) => `docs/${file}`),
];
const read = (file: string): string => readFileSync(join(root, file), "utf8");

/** A document's TypeScript as one module; "expression; // → value" becomes a comparison. */
function moduleOf(document: string): string | undefined {
  const blocks = [...read(document).matchAll(/^```ts\n([\s\S]*?)^```$/gm)].map((match) => match[1] as string);
  if (blocks.length === 0) return undefined;
  const body = blocks.join("\n").replace(/^(.+?);? \/\/ → (.+)$/gm, (_, expression, value) => `same(${expression}, ${value});`);
  return `import { expect } from "vitest";\nconst same = (a: unknown, b: unknown): void => expect(a).toStrictEqual(b);\n${body}`;
}

const modules = documents.flatMap((document) => {
  const text = moduleOf(document);
  return text === undefined ? [] : [{ document, text, file: join(folder, `${document.replace(/\W/g, "-")}.ts`) }];
});

beforeAll(() => {
  mkdirSync(folder, { recursive: true });
  for (const { file, text } of modules) writeFileSync(file, text);
  const config = { extends: "../../tsconfig.json", compilerOptions: { noUnusedLocals: false }, include: ["."] };
  writeFileSync(join(folder, "tsconfig.json"), JSON.stringify(config));
});
afterAll(() => rmSync(folder, { recursive: true }));

test("the examples of the documents compile", async () => {
  const checked = await promisify(execFile)(process.execPath, [join(root, "node_modules/typescript/bin/tsc"), "-p", folder]).catch((error) => error);
  expect(checked.stdout).toBe("");
});

test.each(modules)("the examples of $document do what they say", async ({ file, text }) => {
  expect(text).toContain("same(");
  await import(/* @vite-ignore */ file);
});

test("links and pictures of the documents lead somewhere", () => {
  const broken = documents.flatMap((document) =>
    [...read(document).matchAll(/\]\((?!https?:)([^)#]+)[^)]*\)/g)]
      .map((match) => join(root, dirname(document), match[1] as string))
      .filter(
        (target) => !readdirSync(dirname(target), { withFileTypes: true }).some((entry) => join(dirname(target), entry.name) === target.replace(/\/$/, "")),
      )
      .map((target) => `${document}: ${target}`),
  );
  expect(broken).toEqual([]);
});

test("docs/errors.md lists every code, and no other", () => {
  const listed = [...read("docs/errors.md").matchAll(/^\| `([A-Z_]+)` \|/gm)].map((match) => match[1]);
  expect([...listed].sort()).toEqual([...Object.keys(faults()), ...Object.keys(toolFaults()), ...Object.keys(workFaults())].sort());
});
