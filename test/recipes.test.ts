import { execFile } from "node:child_process";
import { cpSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { promisify } from "node:util";
import { PGlite } from "@electric-sql/pglite";
import Sqlite from "better-sqlite3";
import mysql from "mysql2/promise";
import pg from "pg";
import { afterAll, beforeAll, expect, test } from "vitest";
import { useEngines } from "./support/engines.js";
import { seed } from "./support/seed.js";

// "Where something new goes" of docs/architecture.md, done in a copy of the two packages' sources.
const { all } = useEngines();
const root = fileURLToPath(new URL("..", import.meta.url));
const copy = `${root}.recipes-${process.pid}/`;
const run = promisify(execFile);

/** What is put into a file behind a text of it, or in its place. */
type Step = readonly [file: string, behind: string, put: string];
interface Recipe {
  /** How docs/architecture.md begins its entry. */
  readonly entry: string;
  readonly steps: readonly Step[];
  /** What the compiler's errors have in them if a step is left out. */
  readonly name: string | RegExp;
}

/** Recipes that are followed whole, and with each of their steps left out. */
const followed: readonly Recipe[] = [
  {
    entry: "A function:",
    name: "trimmedStart",
    steps: [
      ["ir/calls.ts", "export const textCalls = family({\n", '  trimmedStart: (values) => text(values).replace(/^ +/, ""),\n'],
      ["expression/texts.ts", '  trim: unary("trim"),\n', '  trimmedStart: unary("trimmedStart"),\n'],
      ["expression/expression-types.ts", "  trim(): Text<string | Missing<V>>;\n", "  trimmedStart(): Text<string | Missing<V>>;\n"],
      ["sql/print/calls.ts", '  trim: named("trim"),\n', '  trimmedStart: named("ltrim"),\n'],
    ],
  },
  {
    entry: "A predicate of two texts:",
    name: "isWithin",
    steps: [
      ["ir/calls.ts", "export const matchCalls = family({\n", "  isWithin: (values) => text(values, 1).includes(text(values)),\n"],
      [
        "expression/texts.ts",
        "export const textMethods = {\n",
        '  isWithin(this: Built, value: unknown) {\n    return match(this, "isWithin", value);\n  },\n',
      ],
      ["expression/expression-types.ts", 'export interface Text<V> extends Ordered<V, "text"> {\n', "  isWithin(text: TextOperand): Predicate;\n"],
      ["sql/print/calls.ts", "export const patterns: Readonly<Record<MatchCall, ((text: Scalar) => string) | undefined>> = {\n", "  isWithin: undefined,\n"],
      [
        "sql/dialects/sqlite/text.ts",
        "const calls: Calls = {\n",
        '  isWithin: ({ argument }) => ["instr(", argument(1), ", ", argument(0), ") > 0"].join(""),\n',
      ],
      [
        "sql/dialects/postgres/text.ts",
        "const callsBy = (collation: string): Calls => ({\n",
        '  isWithin: ({ argument }) => ["strpos(", argument(1), ", ", argument(0), ") > 0"].join(""),\n',
      ],
      [
        "sql/dialects/mariadb/text.ts",
        "const calls: Calls = {\n",
        '  isWithin: ({ argument }) => ["locate(", argument(0), ", ", argument(1), ") > 0"].join(""),\n',
      ],
    ],
  },
  {
    entry: "An aggregate:",
    name: /spread|aggregates/,
    steps: [
      ["ir/aggregate-rules.ts", "export const aggregateRules = {\n", '  spread: { ...usual, takes: ["integer"], resultOf: (type) => type },\n'],
      ["expression/aggregates.ts", '    min: (of: Callback) => make("min", of),\n', '    spread: (of: Callback) => make("spread", of),\n'],
      [
        "expression/aggregate-types.ts",
        '  countDistinct(of: (...rows: A) => Expression): NumberExpression<number, "integer">;\n',
        '  spread(of: (...rows: A) => Expression<unknown, "integer">): NumberExpression<number | null, "integer">;\n',
      ],
      ["expression/aggregate-types.ts", 'extends Pick<Aggregates<A>, "count"', ' | "spread"'],
      [
        "sql/dialects/sqlite/aggregates.ts",
        "export const sqliteAggregates: Aggregates = {\n",
        '  spread: ({ operand }) => ["(max(", operand(), ") - min(", operand(), "))"].join(""),\n',
      ],
      [
        "sql/dialects/postgres/aggregates.ts",
        "export const postgresAggregates: Aggregates = {\n",
        '  spread: ({ operand }) => ["(max(", operand(), ") - min(", operand(), "))"].join(""),\n',
      ],
      [
        "sql/dialects/mariadb/aggregates.ts",
        "export const mariadbAggregates: Aggregates = {\n",
        '  spread: ({ operand }) => ["(max(", operand(), ") - min(", operand(), "))"].join(""),\n',
      ],
    ],
  },
  {
    entry: "A fault:",
    name: "PROBE",
    steps: [["errors/faults.ts", "const all = () =>\n  ({\n", '    PROBE: define((n: { what: string }) => "There is ".concat(n.what, "."), "Look at it."),\n']],
  },
  {
    entry: "A word of an engine's plans:",
    name: "PROBE",
    steps: [["sql/dialects/sqlite/explain.ts", "const words: readonly (readonly [RegExp, PlanOperation])[] = [\n", '  [/^PROBE/, "seek"],\n']],
  },
];

/** Recipes of which the first step makes the compiler ask for the others: where it is to do so. */
const asked: readonly { readonly entry: string; readonly step: Step; readonly files: readonly string[] }[] = [
  {
    entry: "A column kind:",
    step: ["columns/value-type.ts", '  | "identity"\n', '  | "interval"\n'],
    files: [
      "columns/kinds.ts",
      "columns/value-rules.ts",
      "sql/dialects/sqlite/types.ts",
      "sql/dialects/postgres/types.ts",
      "sql/dialects/mariadb/types.ts",
      "sql/dialects/wire.ts",
      "sql/dialects/postgres/wire.ts",
    ],
  },
  {
    entry: "A dialect:",
    step: ["sql/dialects/dialect.ts", 'export type DialectName = "sqlite"', ' | "other"'],
    files: ["schema/", "telemetry/open-telemetry.ts"],
  },
  { entry: "A strategy of loading:", step: ["ir/strategy.ts", 'strategies = ["auto"', ', "probe"'], files: ["plan/rows.ts"] },
  {
    entry: "A member of a query, or of a kind of node:",
    step: ["ir/resolved.ts", "export interface QueryState {\n", "  readonly probe: boolean;\n"],
    files: ["ir/state.ts", "run/cache/key-parts.ts"],
  },
  {
    entry: "A member of a query, or of a kind of node:",
    step: ["ir/resolved.ts", "export interface WindowNode extends NodeType {\n", "  readonly probe: boolean;\n"],
    files: ["expression/windows.ts", "run/cache/key-parts.ts"],
  },
  { entry: "A finding of the ledger:", step: ["findings/kinds.ts", "findingKinds = [\n", '  "probe",\n'], files: ["findings/finders.ts", "project/sarif.ts"] },
  { entry: "An option of a command:", step: ["cli/verify.ts", "export interface VerifyCommand {\n", "  readonly probe: boolean;\n"], files: ["cli/main.ts"] },
];

/** Where a file is in the copy; these rooms are the tools'. */
const pathOf = (file: string): string => `${/^(cli|project|demo)\//.test(file) ? "tools/" : ""}src/${file}`;

function put([file, behind, text]: Step): void {
  const path = `${copy}${pathOf(file)}`;
  const code = readFileSync(path, "utf8");
  expect(code.split(behind), `${file}: ${behind}`).toHaveLength(2);
  writeFileSync(
    path,
    code.replace(behind, () => behind + text),
  );
}

/** The compiler's errors about a copy of the sources in which steps were done. */
async function errorsOf(steps: readonly Step[]): Promise<string> {
  for (const folder of ["src", "tools/src"]) cpSync(`${root}${folder}`, `${copy}${folder}`, { recursive: true });
  for (const step of steps) put(step);
  const settings = JSON.parse(readFileSync(`${root}tsconfig.json`, "utf8"));
  writeFileSync(`${copy}tsconfig.json`, JSON.stringify({ ...settings, include: ["src", "tools/src"] }));
  const compiler = [`${root}node_modules/typescript/bin/tsc`, "-p", copy, "--pretty", "false"];
  return await run(process.execPath, compiler, { cwd: copy, maxBuffer: 1e8 }).then(
    () => "",
    (error: { stdout: string }) => error.stdout,
  );
}

const document = readFileSync(`${root}docs/architecture.md`, "utf8");
const entryOf = (begin: string): string => {
  const [, rest = ""] = document.split(`- *${begin}*`);
  return rest.split("\n- *")[0] as string;
};

beforeAll(() => rmSync(copy, { recursive: true, force: true }));
afterAll(() => rmSync(copy, { recursive: true, force: true }));

test("docs/architecture.md names each file of each recipe", () => {
  const unnamed = [
    ...followed.flatMap(({ entry, steps }) => steps.map(([file]) => [entry, file] as const)),
    ...asked.flatMap(({ entry, step, files }) => [step[0], ...files].map((file) => [entry, file] as const)),
  ].filter(([entry, file]) => !entryOf(entry).includes(file) && !/dialects\/(\w+\/|wire)|^cli|^schema|^telemetry|windows/.test(file));
  expect(unnamed).toEqual([]);
});

test("what is added by all steps of its recipe works on every engine", async () => {
  expect(await errorsOf(followed.flatMap(({ steps }) => steps))).toBe("");
  const load = async (file: string) => await import(/* @vite-ignore */ `${copy}src/${file}.ts`);
  const { createTables, database, entity, from, identity, integer, model, text, GemachError } = await load("index");
  const { Box } = model({ Box: entity("recipe_box", { id: identity, name: text, size: integer }) });
  for (const { name, url } of all()) {
    const open = {
      sqlite: async () => [(await load("drivers/sqlite")).sqlite(new Sqlite(":memory:")), async () => {}],
      pglite: async () => {
        const handle = new PGlite();
        return [(await load("drivers/pglite")).pglite(handle), () => handle.close()];
      },
      postgres: async () => {
        const pool = new pg.Pool({ connectionString: url });
        return [(await load("drivers/postgres")).postgres(pool), () => pool.end()];
      },
      mariadb: async () => {
        const pool = mysql.createPool(url as string);
        return [(await load("drivers/mariadb")).mariadb(pool), () => pool.end()];
      },
    }[name as "sqlite"];
    const [driver, close] = await open();
    const db = database(driver);
    await createTables(db, { Box });
    await db.insert(Box, [
      { name: "  ab", size: 3 },
      { name: "b", size: 10 },
    ]);
    const names = await db.list(
      from(Box)
        .orderBy((b: { id: { asc: unknown } }) => b.id.asc)
        .select((b: { name: { trimmedStart(): unknown } }) => b.name.trimmedStart()),
    );
    const within = await db.list(from(Box).where((b: { name: { isWithin(text: string): unknown } }) => b.name.isWithin("abc")));
    const spread = await db.single(from(Box).totals((g: { spread(of: unknown): unknown }) => g.spread((b: { size: unknown }) => b.size)));
    expect([names, within.length, spread], name).toEqual([["ab", "b"], 1, 7]);
    await close();
  }
  expect(new GemachError("PROBE", { what: "one" }).message).toContain("There is one.");
  const { sqliteExplain } = await load("sql/dialects/sqlite/explain");
  expect(sqliteExplain.read([[1, 0, 0, "PROBE box"]])).toMatchObject({ operation: "seek" });
});

test("a step that is left out does not compile", async () => {
  const most = Math.max(...followed.map(({ steps }) => steps.length));
  // Each of them in CI, else another one each time: the compiler takes some seconds.
  for (let left = 0; left < most; left++) {
    if (process.env.CI !== "true" && left !== seed % most) continue;
    const chosen = followed.filter(({ steps }) => left < steps.length && steps.length > 1);
    const errors = await errorsOf(chosen.flatMap(({ steps }) => steps.filter((_, i) => i !== left)));
    for (const { name, steps } of chosen) expect(errors, `${name} without ${steps[left]?.[0]}`).toMatch(name);
  }
  const errors = await errorsOf(asked.map(({ step }) => step));
  for (const { step, files } of asked) for (const file of files) expect(errors, `${step[2]}`).toContain(pathOf(file));
});
