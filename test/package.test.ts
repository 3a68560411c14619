import { spawn } from "node:child_process";
import { cpSync, existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";
import Sqlite from "better-sqlite3";
import { parseAst } from "rolldown/parseAst";
import { build } from "vite";
import { afterAll, beforeAll, expect, test } from "vitest";
import { type Installed, install } from "./support/installed.js";
import { seed } from "./support/seed.js";

let installed: Installed;
beforeAll(async () => {
  installed = await install();
});
afterAll(() => installed.remove());

const files = (folder: string): readonly string[] => readdirSync(folder, { recursive: true, encoding: "utf8" });

/** The packages that a built file imports, itself and by all that it imports, at once or later. */
function packagesOf(file: string, seen = new Set<string>()): ReadonlySet<string> {
  if (seen.has(file)) return new Set();
  seen.add(file);
  const text = readFileSync(file, "utf8");
  const atOnce = parseAst(text).body.flatMap((part) => ("source" in part && part.source !== null ? [part.source.value] : []));
  const later = [...text.matchAll(/\bimport\(["`]([^"`]+)["`]\)/g)].map((match) => match[1] as string);
  return new Set([...atOnce, ...later].flatMap((name) => (name.startsWith(".") ? [...packagesOf(join(dirname(file), name), seen)] : [name])));
}

test("what is published is built into few files, and holds what the README links to", () => {
  const built = files(installed.file("dist"));
  expect(built.filter((name) => name.endsWith(".js")).length).toBeLessThanOrEqual(39);
  expect(built.filter((name) => name.endsWith(".d.ts")).length).toBeLessThanOrEqual(26);
  const readme = readFileSync(installed.file("README.md"), "utf8");
  const links = [...readme.matchAll(/\]\((?!https?:)([^)#]+)[^)]*\)/g)].map((match) => match[1] as string);
  // How to work on the library concerns a clone.
  expect(links.filter((link) => link !== "CONTRIBUTING.md" && !existsSync(installed.file(link)))).toEqual([]);
});

test("maps lead from what is built to the sources that are shipped", () => {
  for (const at of [installed.file, installed.tool]) {
    const lost = files(at("dist"))
      .filter((name) => name.endsWith(".map"))
      .flatMap((name) => (JSON.parse(readFileSync(at(`dist/${name}`), "utf8")) as { sources: string[] }).sources)
      .filter((source) => !existsSync(at(join("dist", source))));
    expect(lost).toEqual([]);
  }
});

test("without the tools the command says how they are installed", async () => {
  // Outside of the checkout, above whose folders the tools are.
  const folder = mkdtempSync(join(tmpdir(), "gemach-"));
  cpSync(installed.file("."), join(folder, "node_modules/gemach"), { recursive: true });
  const child = spawn(process.execPath, [join(folder, "node_modules/gemach/dist/cli.js"), "demo"], { cwd: folder });
  let said = "";
  child.stderr.on("data", (text) => {
    said += text;
  });
  expect(await new Promise((resolve) => child.on("close", resolve))).toBe(2);
  expect(said).toContain("npm install -D gemach-tools");
  rmSync(folder, { recursive: true });
});

test("the library depends on no package, and its entries import nothing of Node but one channel", () => {
  const { exports, dependencies } = JSON.parse(readFileSync(installed.file("package.json"), "utf8")) as {
    exports: Record<string, { default: string } | string>;
    dependencies?: object;
  };
  expect(dependencies).toBeUndefined();
  const entries = Object.entries(exports).flatMap(([name, target]) => (typeof target === "string" ? [] : [[name, installed.file(target.default)] as const]));
  expect(entries.map(([name]) => name)).toContain("./sqlite");
  const found = entries.flatMap(([name, file]) => [...packagesOf(file)].map((outside) => `${name}: ${outside}`));
  expect(found).toEqual(["./diagnostics: node:diagnostics_channel"]);
});

const use = (begin: string, end: string) => `${begin}
  const { lending } = { lending: gemach.model({ Loan: gemach.entity("loan", { id: gemach.identity, due: gemach.date }) }) };
  const db = gemach.database(driver.sqlite(new Sqlite(":memory:")));
  await gemach.createTables(db, lending);
  await db.insert(lending.Loan, [{ due: "2026-05-01" }]);
  console.log(JSON.stringify(await db.list(gemach.from(lending.Loan))));
${end}`;

test("it runs from ES modules, and from CommonJS by import", async () => {
  const asModule = use('import Sqlite from "better-sqlite3";\nimport * as gemach from "gemach";\nimport * as driver from "gemach/sqlite";', "");
  const asCommon = use(
    'const Sqlite = require("better-sqlite3");\n(async () => {\nconst gemach = await import("gemach");\nconst driver = await import("gemach/sqlite");',
    "})();",
  );
  installed.write("package.json", "{}");
  installed.write("module.mjs", asModule);
  installed.write("common.cjs", asCommon);
  for (const file of ["module.mjs", "common.cjs"]) expect(await installed.run(file), file).toBe('[{"id":1,"due":"2026-05-01"}]');
});

const cutScript = `import Sqlite from "better-sqlite3";
import * as gemach from "gemach";
import { sqlite } from "gemach/sqlite";
const { Booking } = gemach.model({ Booking: gemach.entity("booking", { id: gemach.identity, tag: gemach.integer }) });
const db = gemach.database(sqlite(new Sqlite(process.argv[2])));
await gemach.createTables(db, { Booking });
for (let tag = Number(process.argv[3]); ; tag++) {
  await db.work(async (w) => {
    for (let i = 0; i < 3; i++) {
      w.add(Booking, { tag });
      await w.flush();
      await new Promise((resolve) => setTimeout(resolve, Math.random()));
    }
  });
  process.stdout.write(tag + "\\n");
}`;

test("a process that is killed at any moment leaves all of a unit of work in an SQLite file, or nothing", { timeout: 600_000 }, async () => {
  const file = installed.file("cut.db");
  const script = installed.write("cut.mjs", cutScript);
  for (let run = 0; run < Number(process.env.GEMACH_CUTS ?? (process.env.CI ? 50 : 8)); run++) {
    const child = spawn(process.execPath, [script, file, String(run * 100_000)], { cwd: installed.folder });
    let told = "";
    child.stdout.on("data", (text) => {
      told += text;
      // Somewhere in the middle of a later unit of work.
      if (told.length === String(text).length) setTimeout(() => child.kill("SIGKILL"), Math.random() * 60);
    });
    await new Promise((resolve) => child.on("exit", resolve));
    const db = new Sqlite(file);
    const counts = new Map(db.prepare("select tag, count(*) from booking group by tag").raw().all() as [number, number][]);
    db.close();
    const committed = told.split("\n").slice(0, -1).map(Number);
    expect(committed.length).toBeGreaterThan(0);
    expect(committed.filter((tag) => counts.get(tag) !== 3)).toEqual([]);
    expect([...counts.values()].filter((count) => count !== 3)).toEqual([]);
  }
});

const root = fileURLToPath(new URL("..", import.meta.url));

test("nothing in it names a path of the machine that built it", () => {
  const named = files(installed.file("dist")).filter((name) => readFileSync(installed.file(`dist/${name}`), "utf8").includes(root));
  expect(named).toEqual([]);
});

const settings = (extra: object) =>
  JSON.stringify({
    compilerOptions: {
      ...{ strict: true, exactOptionalPropertyTypes: true, noUncheckedIndexedAccess: true, isolatedModules: true, verbatimModuleSyntax: true },
      ...{
        declaration: true,
        composite: true,
        skipLibCheck: false,
        target: "es2023",
        lib: ["es2023"],
        module: "nodenext",
        moduleResolution: "nodenext",
        types: [],
      },
      ...{ rootDir: "src", outDir: "out" },
    },
    include: ["src"],
    ...extra,
  });

const modelText = `import { boolean, bytes, date, entities, entity, identity, integer, linked, model, snakeCase, text, toMany, toOne, value, via } from "gemach";
export class Place { street = ""; }
export class Lending extends entities({
  Depot: entity("depot", { id: identity, name: text, site: value({ street: text }).nullable }, { items: toMany("Item", { by: "depotId" }), loans: via("items", "loans") }),
  Item: entity("item", { id: identity, depotId: integer, name: text, manual: bytes.nullable.heavy }, { depot: toOne("Depot", { by: "depotId" }), loans: toMany("Loan", { by: "itemId" }) }),
  Loan: entity("loan", { id: identity, itemId: integer, memberId: integer, due: date, returned: date.nullable }, { item: toOne("Item", { by: "itemId" }), borrower: toOne("Member", { by: "memberId" }) }),
  Member: entity("member", { id: identity, name: text, blocked: boolean }),
  Tag: entity("tag", { depotId: integer.key, number: integer.key, street: text }, {}, { as: Place, indexes: [{ on: ["street"] }], checks: (t) => ({ named: t.street.isNot("") }) }),
}) {}
export const lending = model(Lending, { columnNames: snakeCase });
/** Without a class, as in a quick start. */
export const small = model({ Note: entity("note", { id: identity, word: text }) });
`;

const queryText = (
  number: number,
) => `export const q${number} = from(Loan).where((l) => and(l.returned.is(null), l.item.depot.name.is("x"))).reach({ item: { depot: true }, borrower: true });
export const p${number} = q${number}.select((l) => ({ due: l.due, name: l.item.name }));
export const g${number} = from(Loan).groupBy((l) => l.itemId).select((g) => ({ key: g.key, last: g.max((l) => l.due) }));
`;

const queriesText = (count: number) => `import { and, exists, from, sql, integer, template, union, type QueryOf, type RowOf } from "gemach";
import { lending, small } from "../../model/out/index.js";
const { Depot, Item, Loan, Tag } = lending;
${Array.from({ length: count }, (_, i) => queryText(i)).join("")}
export const tags = from(Tag);
export const notes = from(small.Note);
export const byId = template({ id: integer }, (p) => from(Item).where((i) => i.id.is(p.id)));
export const either = union(from(Item).select((i) => i.name), from(Depot).select((d) => d.name));
export const tree = from(Depot).where((d) => exists(from(Item).where((i) => i.depotId.is(d.id)))).select((d) => ({ n: d.items.loans.count(), one: sql(integer)\`1\` }));
export const narrowed = (query: QueryOf<typeof Loan, RowOf<typeof q0>>) => query.limit(3);
`;

// All of them in CI, else the newest and an older one, the other one the next time.
const compilers = [5, 6, 7].filter((version) => process.env.CI === "true" || version !== 5 + (seed % 2)) as readonly (5 | 6 | 7)[];
test.each(compilers)("a project of several packages gets declarations by TypeScript %i", async (version) => {
  const folder = `packages-${version}`;
  installed.write(`${folder}/model/tsconfig.json`, settings({}));
  installed.write(`${folder}/model/package.json`, '{ "type": "module" }');
  installed.write(`${folder}/model/src/index.ts`, modelText);
  installed.write(`${folder}/queries/tsconfig.json`, settings({ references: [{ path: "../model" }] }));
  installed.write(`${folder}/queries/package.json`, '{ "type": "module" }');
  const sizes: number[] = [];
  for (const count of [10, 20]) {
    installed.write(`${folder}/queries/src/index.ts`, queriesText(count));
    const said = await installed.compile(version, "-b", join(folder, "queries"));
    expect(said).toBe("");
    sizes.push(readFileSync(join(installed.folder, folder, "queries/out/index.d.ts"), "utf8").length);
  }
  const [few, many] = sizes as [number, number];
  // Declarations grow by what is added, whatever the size of the model: by its rows, and its own names.
  expect((many - few) / 10).toBeLessThan(1500);
});

test("the line is right in code that was bundled into one file", async () => {
  const folder = mkdtempSync(join(tmpdir(), "gemach-"));
  const entry = join(folder, "entry.ts");
  const root = fileURLToPath(new URL("../src", import.meta.url));
  writeFileSync(
    entry,
    `import { lending } from "${root}/../tools/src/demo/index.js";\nimport { from, withLedger } from "${root}/index.js";\n` +
      "export async function lines(db) {\n  const ledger = await withLedger(db, 'x', async () => {\n    await db.count(from(lending.Item)); // here\n" +
      "    for await (const row of db.stream(from(lending.Depot).limit(1))) void row; // here\n  });\n  return ledger.statements.map((s) => s.origin.at);\n}\n" +
      `export { database } from "${root}/index.js";\nexport { sqlite } from "${root}/drivers/sqlite.js";\nexport { lending };\nexport { createTables } from "${root}/index.js";\n`,
  );
  await build({
    configFile: false,
    logLevel: "silent",
    resolve: { alias: [{ find: /^gemach$/, replacement: `${root}/index.ts` }] },
    build: { outDir: folder, emptyOutDir: false, minify: false, lib: { entry, formats: ["es"], fileName: "bundle" } },
  });
  const file = readdirSync(folder).find((name) => name.startsWith("bundle")) as string;
  const bundle = await import(/* @vite-ignore */ join(folder, file));
  const db = bundle.database(bundle.sqlite(new Sqlite(":memory:")));
  await bundle.createTables(db, bundle.lending);
  const text = readFileSync(join(folder, file), "utf8").split("\n");
  const sites = (await bundle.lines(db)) as { file: string; line: number }[];
  expect(sites.map((site) => [site.file.endsWith(file), /db\.(count|stream)\(/.test(text[site.line - 1] ?? "")])).toEqual([
    [true, true],
    [true, true],
  ]);
  rmSync(folder, { recursive: true });
});
