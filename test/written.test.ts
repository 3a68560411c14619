import { execFile } from "node:child_process";
import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { promisify } from "node:util";
import { runInNewContext } from "node:vm";
import fc from "fast-check";
import { afterAll, beforeAll, expect, test } from "vitest";
import {
  adoptTables,
  changeLabel,
  changesBetween,
  draftBetween,
  migrationText,
  readTables,
  startText,
  statementsOf,
  tableLabel,
  undoText,
} from "../src/schema/index.js";
import { scriptOf } from "../src/schema/migrations/migration.js";
import {
  codeRemark,
  docComment,
  escaped,
  fileName,
  markdownBlock,
  markdownCode,
  markdownText,
  mermaidText,
  mermaidWord,
  oneLine,
  propertyText,
  quotedSql,
  sqlRemark,
  stringText,
  templateText,
  unquotedSql,
  visible,
  xmlText,
} from "../src/written/index.js";
import { markdownOf, sarifOf } from "../tools/src/project/index.js";
import { eachEngine, useEngines } from "./support/engines.js";
import { type Installed, install } from "./support/installed.js";
import { seed } from "./support/seed.js";
import { wipe } from "./support/wipe.js";

const { all } = useEngines();
const runs = Number(process.env.GEMACH_NAMES ?? 4);

/** What ends lines, texts, comments and statements, what turns letters around, what leads out of folders, and words of the languages. */
const pieces = [
  ...["\n", "\r", "\r\n", "\u2028", "\u2029", "\v", "\f", "\u0085", "\t", " "],
  ...[
    '"',
    "'",
    "`",
    "\\",
    "${",
    "}",
    "--",
    "-- ",
    "/*",
    "*/",
    "//",
    "#",
    "<!--",
    "-->",
    "]]>",
    "<",
    ">",
    "&",
    "|",
    "[x](y)",
    "```",
    "*",
    "_",
    ";",
    ",",
    "(",
    ")",
  ],
  ...["\u001b[31m", "\u001b]0;x\u0007", "\u009b2J", "\b", "\u007f", "\u0001", "\u202e", "\u2066", "\u200f", "\ufeff", "é", "名", "²"],
  ...["..", "/", "../up", "C:", "con", "nul", ".ts", "%2e"],
  ...["class", "await", "default", "constructor", "__proto__", "toString", "select", "table", "entity", "model", "text", "erDiagram", "a", "B", "1"],
  ...[
    "\ncreate table pwned (x int);\n--",
    "\r; drop table x; --",
    '"; globalThis.pwned = 1; "',
    "*/ globalThis.pwned = 1; /*",
    "\u2028globalThis.pwned = 1 //",
  ],
  ...["\n-- must find nothing: x\n--   create table pwned (x int)\n", "\n-- not in one transaction\n", "\n-- starting point: [[]]\n"],
];
const name = fc.array(fc.constantFrom(...pieces), { minLength: 1, maxLength: 5 }).map((parts) => parts.join(""));
const isSeen = (text: string): boolean => visible(text.replaceAll("\t", "")) === text.replaceAll("\t", "");
const dialects = ["sqlite", "postgres", "mariadb"] as const;

test("each writer keeps a hostile name what it is: data, a comment, a file of this folder", () => {
  fc.assert(
    fc.property(name, (given) => {
      const context: { pwned?: number } = {};
      const code = `${codeRemark(given)}\n${docComment(given).join("\n")}\n({ ${propertyText(given)}: ${stringText(given)}, "also ": ${templateText(given)} })`;
      const made = runInNewContext(code, context) as Record<string, string>;
      expect([Object.entries(made), context.pwned]).toEqual([
        [
          [given, given],
          ["also ", given],
        ].filter(([key], i) => i === 1 || key !== "also "),
        undefined,
      ]);
      for (const text of [codeRemark(given), docComment(given).join(""), stringText(given), propertyText(given), sqlRemark(given), ...quotedSql(given)])
        expect(isSeen(text), text).toBe(true);
      for (const dialect of dialects) expect(statementsOf(`${sqlRemark(given)}\n${quotedSql(given).join("\n")}\nselect 1;`, dialect)).toEqual(["select 1"]);
      if (!given.startsWith('"')) expect(unquotedSql(quotedSql(given))).toBe(given);
      expect(JSON.parse(escaped(JSON.stringify({ [given]: given }, null, 2)))).toEqual(JSON.parse(JSON.stringify({ [given]: given })));
      expect(xmlText(given)).toMatch(/^(?:[^&<>"']|&(?:amp|lt|gt|quot|#39);)*$/);
      expect(mermaidText(given)).toMatch(/^"(?:[^#"\\<>&;%`]|#\d+;)*"$/);
      expect(mermaidWord(given)).toMatch(/^[\p{L}_][\p{L}\p{N}_-]*$/u);
      expect(markdownText(given).replaceAll(/\\./g, "")).not.toMatch(/[\\`*_{}[\]<>#|~&]/);
      const [fence = ""] = /^`+/.exec(markdownCode(given)) ?? [];
      expect(markdownCode(given).slice(fence.length, -fence.length).split(/[^`]+/)).not.toContain(fence);
      const [block = ""] = /^`+/.exec(markdownBlock(given, "sql")) ?? [];
      expect(markdownBlock(given, "sql").split(block)).toHaveLength(3);
      expect(fileName(given)).toMatch(/^(?:[\p{L}\p{N}_][\p{L}\p{N}_-]*)?$/u);
      for (const text of [xmlText(given), mermaidText(given), markdownText(given), oneLine(given)]) expect(isSeen(text)).toBe(true);
    }),
    { numRuns: 100 * runs, seed },
  );
});

test("a remark inside of a statement is none of the library's", () => {
  const body = "create trigger x after insert on t begin\n-- not in one transaction\n-- must find nothing: x\n--   drop table t\n  delete from t;\nend;\n";
  expect(scriptOf(`-- not in one transaction\n${body}`, "sqlite")).toMatchObject({ isApart: true, preconditions: [] });
  expect(scriptOf(body, "sqlite")).toMatchObject({ isApart: false, preconditions: [] });
});

let installed: Installed;
let folder: string;
beforeAll(async () => {
  installed = await install();
  folder = mkdtempSync(join(installed.folder, "named-"));
});
afterAll(() => installed.remove());

/** What an engine takes as a name: at most 63 bytes, with what it adds itself, and no NUL; MariaDB's end in no space and are of 16 bits. */
const taken = (given: string, i: number): string => {
  let short = `${i}${given}`;
  while (Buffer.byteLength(short) > 50) short = short.slice(0, -1);
  return short.replace(/[\s\ud800-\udbff]+$/, "");
};

eachEngine(
  all,
  "what a catalogue names is no code, no statement and no file elsewhere",
  async (db, engine) => {
    const { quote } = db.dialect.text;
    const dialect = db.dialect;
    const literal = (text: string) => `'${text.replaceAll("'", "''").replaceAll("\\", dialect.name === "mariadb" ? "\\\\" : "\\")}'`;
    const samples = fc.sample(fc.array(name, { minLength: 9, maxLength: 9 }), { numRuns: runs, seed });
    for (const [round, sample] of samples.entries()) {
      await wipe(engine);
      const [table, key, column, child, held, view, index, check, value] = sample.map(taken) as [string, ...string[]] as never as string[];
      const names = { table, key, column, child, held, view, index, check } as Record<string, string>;
      const q = Object.fromEntries(Object.entries(names).map(([what, one]) => [what, quote(one)])) as Record<string, string>;
      const comment = dialect.name === "mariadb" ? ` comment ${literal(value as string)}` : "";
      for (const statement of [
        `create table ${q.table} (${q.key} integer not null primary key, ${q.column} varchar(90) not null default ${literal(value as string)}${comment}, constraint ${q.check} check (${q.column} <> ${literal(value as string)}))`,
        `create table ${q.child} (${q.key} integer not null primary key, ${q.held} integer not null, foreign key (${q.held}) references ${q.table} (${q.key}))`,
        `create index ${q.index} on ${q.child} (${q.held})`,
        `create view ${q.view} as select ${q.key} from ${q.table}`,
        ...(dialect.name === "postgres" ? [`comment on table ${q.table} is ${literal(value as string)}`] : []),
      ])
        await engine.execute(statement).catch((error: Error) => {
          throw new Error(`round ${round}: ${statement}: ${error.message}`);
        });
      const found = await readTables(db);
      const adoption = adoptTables(found, dialect);
      // The module that is written is loaded, as a project would.
      for (const [file, source] of adoption.sources("model")) {
        expect(isSeen(source.replaceAll(/[\n\t]/g, "")), source).toBe(true);
        writeFileSync(
          join(folder, `${engine.name}-${round}${file === "" ? "" : `-${file}`}.mjs`),
          source.replaceAll('from "./', `from "./${engine.name}-${round}-`).replaceAll('.js";', '.mjs";'),
        );
      }
      const module = (await import(join(folder, `${engine.name}-${round}.mjs`))) as Record<string, object>;
      expect((globalThis as { pwned?: number }).pwned).toBeUndefined();
      expect(Object.keys(module).sort()).toEqual(["Tables", "tables"]);
      const { tablesOf } = (await import(installed.file("dist/schema.js"))) as typeof import("../src/schema/entry.js");
      const wanted = tablesOf(module.tables as object, dialect);
      expect(changesBetween(found, wanted, dialect.name).map(changeLabel), adoption.source).toEqual([]);
      // The start is those tables and nothing else.
      const start = startText(found, dialect);
      const script = scriptOf(start, dialect.name);
      expect(script.startsWith.map((one) => one.table).sort()).toEqual([table, child].sort());
      expect([script.preconditions, script.isApart]).toEqual([[], false]);
      await engine.execute(`drop view ${q.view}`);
      await wipe(engine);
      for (const statement of script.statements) await engine.execute(statement);
      const again = await readTables(db);
      expect(
        changesBetween(
          again,
          found.filter(({ kind }) => kind === "table"),
          dialect.name,
        ).map(changeLabel),
        start,
      ).toEqual([]);
      expect(again.map(({ table: one }) => one).sort()).toEqual([table, child].sort());
      // A draft says in its remarks what its parts are, and its statements are its own.
      for (const draft of [draftBetween(again, [], { tables: {}, columns: {} }, dialect), draftBetween([], again, { tables: {}, columns: {} }, dialect)]) {
        const text = migrationText(draft, table as string, dialect, [`blocks: ${tableLabel({ schema: undefined, table: table as string })}`]);
        const read = scriptOf(text, dialect.name);
        expect([read.statements, read.preconditions, read.isApart]).toEqual([
          draft.statements,
          draft.preconditions.map(({ meaning, query }) => ({ meaning: oneLine(meaning), query })),
          false,
        ]);
        const undo = scriptOf(undoText(draft, table as string, dialect), dialect.name);
        expect(undo.statements).toEqual(draft.undo.statements);
      }
    }
  },
  120_000,
);

test("commands show a hostile name, and print none of its signs; schemas become files of this folder", async () => {
  const { default: Sqlite } = await import("better-sqlite3");
  const file = new Sqlite(join(installed.folder, "odd.sqlite"));
  const odd = "t\u001b[31m\u202e\ncreate table pwned (x int);\n--";
  file.exec(`create table "${odd}" (id integer primary key, "${odd}" integer); create view "v\ncreate table pwned (x int);\n--" as select 1 as one`);
  file.exec(`create table "constructor" (id integer primary key)`);
  file.close();
  new Sqlite(join(installed.folder, "bare.sqlite")).exec("vacuum").close();
  writeFileSync(
    join(installed.folder, "gemach.config.ts"),
    `export default { databases: { odd: "sqlite:odd.sqlite", other: "sqlite:other.sqlite", bare: "sqlite:bare.sqlite" }, model: "model.ts", queries: [] };\n`,
  );
  const gemach = async (...words: readonly string[]) =>
    await promisify(execFile)(process.execPath, [installed.file("dist/cli.js"), ...words], {
      cwd: installed.folder,
      env: { ...process.env, NO_COLOR: "1" },
    }).then(
      ({ stdout, stderr }) => stdout + stderr,
      ({ stdout, stderr }: { stdout: string; stderr: string }) => stdout + stderr,
    );
  const told: string[] = [];
  for (const words of [
    "adopt --url sqlite:odd.sqlite --out model.ts --no-start",
    "verify --database bare --json",
    "verify --database bare",
    "adopt --url sqlite:odd.sqlite --out model.ts",
    "map --format mermaid",
    "map --out map.svg",
    "apply --database other",
    "draft more --database other",
    "verify",
  ]) {
    if (words.startsWith("adopt")) rmSync(join(installed.folder, "model.ts"), { force: true });
    told.push(await gemach(...words.split(" ")));
  }
  for (const text of told) expect(isSeen(text.replaceAll("\n", "")), text).toBe(true);
  expect(told.join("\n")).toContain("\\u{1b}[31m\\u{202e}\\u{a}create table pwned (x int);");
  expect(isSeen(readFileSync(join(installed.folder, "map.svg"), "utf8").replaceAll("\n", ""))).toBe(true);
  const made = new Sqlite(join(installed.folder, "other.sqlite"));
  expect(made.prepare("select name from sqlite_master where name = 'pwned'").all()).toEqual([]);
  expect(made.prepare("select count(*) as n from sqlite_master where name like 't%' or name = 'constructor'").get()).toEqual({ n: 2 });
  made.close();
  // Reports say the names of queries and files.
  const finding = {
    ...{
      kind: "slow",
      severity: "warning",
      query: odd,
      database: odd,
      file: "../`a b`#.ts",
      line: 3,
      evidence: odd,
      remedy: odd,
      statements: ["select 1 -- ```\u202e"],
    },
  } as never;
  const shown = {
    queries: 1,
    databases: [odd],
    statements: 1,
    findings: [finding],
    accepted: [],
    failures: [{ query: odd, database: odd, message: odd }],
  } as never;
  expect(isSeen(markdownOf(shown).replaceAll("\n", ""))).toBe(true);
  expect(JSON.stringify(sarifOf(shown, "0.0.0"))).toContain("../%60a%20b%60%23.ts");
  const postgres = all().find((one) => one.name === "postgres");
  if (postgres?.url === undefined) return;
  const schemas = ['q"; globalThis.pwned = 1; "', "../up", "class", "text", "model", "Model"];
  const { quote } = postgres.connect().dialect.text;
  for (const schema of schemas) await postgres.execute(`create schema ${quote(schema)}; create table ${quote(schema)}.thing (id integer primary key)`);
  const adoption = adoptTables(await readTables(postgres.connect(), schemas), postgres.connect().dialect);
  const place = mkdtempSync(join(folder, "schemas-"));
  for (const [file, source] of adoption.sources("model")) writeFileSync(join(place, `${file === "" ? "model" : file}.js`), source, { flag: "wx" });
  writeFileSync(join(place, "package.json"), '{"type":"module"}');
  expect(readdirSync(place).sort()).toEqual([
    ...["class.js", "model-schema.js", "model.js", "model2.js", "package.json", "q-globalthis-pwned-1.js", "text.js", "up.js"],
  ]);
  const module = (await import(join(place, "model.js"))) as Record<string, object>;
  expect([Object.keys(module.tables as object).length, (globalThis as { pwned?: number }).pwned]).toEqual([6, undefined]);
});
