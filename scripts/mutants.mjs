// Puts small faults into the code of a room, one at a time in a copy, and tells which of them no test of the room finds.
// Usage: node scripts/mutants.mjs <room> [--most 100] [--seed 1] [--only file.ts]
import { spawn } from "node:child_process";
import { cpSync, existsSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { parseArgs } from "node:util";
import { parseAst } from "rolldown/parseAst";

const root = fileURLToPath(new URL("..", import.meta.url));
const { positionals, values } = parseArgs({
  allowPositionals: true,
  options: {
    most: { type: "string", default: "100" },
    seed: { type: "string", default: "1" },
    only: { type: "string", default: "" },
  },
});
const [room = "work"] = positionals;

/** The test files that hold a room's rules, the quick ones first. */
const tests = {
  work: [
    "work",
    "ownership",
    "write-order",
    "soft-deletion",
    "hooks",
    "tenants",
    "keyed-writes",
    "keys",
    "random-work",
    "random-archive",
  ],
  schema: ["layouts", "apply", "adopt", "schema-catalogue", "schema-change", "written", "killed-apply"],
  run: [
    "statement-key",
    "queries",
    "loading",
    "writes",
    "transactions",
    "sessions",
    "limits",
    "violations",
    "strategies",
  ],
  sql: ["sql-texts", "parity", "expressions", "sets", "combined", "reports", "writes", "fitting", "random"],
  plan: ["queries", "loading", "strategies", "writes", "standing", "paging", "combined"],
  expression: ["expressions", "rules", "random", "reports", "values", "unlike"],
  ir: ["expressions", "rules", "random", "templates", "built-anew", "statement-key"],
};
const files = (tests[room] ?? []).map((name) => `test/${name}.test.ts`).filter((file) => existsSync(root + file));
if (files.length === 0) throw new Error(`no tests are known for the room ${room}: name them in scripts/mutants.mjs`);

const swapped = {
  "<": "<=",
  "<=": "<",
  ">": ">=",
  ">=": ">",
  "===": "!==",
  "!==": "===",
  "+": "-",
  "-": "+",
  "*": "/",
  "&&": "||",
  "||": "&&",
};
const isNode = (value) => typeof value === "object" && value !== null && typeof value.type === "string";

/** Each small fault that a file may get: what is replaced, and by what. */
function* faultsOf(code) {
  const textOf = ({ start, end }) => code.slice(start, end);
  function* visit(node) {
    if (/^(TS|Import|ExportAll)/.test(node.type) && !/^TS(As|NonNull|Satisfies)/.test(node.type)) return;
    const { start, end } = node;
    if ((node.type === "BinaryExpression" || node.type === "LogicalExpression") && swapped[node.operator]) {
      const between = code.slice(node.left.end, node.right.start);
      const put = between.replace(node.operator, swapped[node.operator]);
      yield {
        start: node.left.end,
        end: node.right.start,
        put,
        what: `${node.operator} becomes ${swapped[node.operator]}`,
      };
    }
    if (node.type === "LogicalExpression" && node.operator === "??")
      yield { start, end, put: textOf(node.left), what: "without its ??" };
    if (node.type === "IfStatement" || node.type === "ConditionalExpression") {
      const { start: from, end: to } = node.test;
      yield { start: from, end: to, put: `!(${textOf(node.test)})`, what: "the condition negated" };
    }
    if (node.type === "Literal" && typeof node.value === "boolean")
      yield { start, end, put: String(!node.value), what: `${node.value} becomes ${!node.value}` };
    if (node.type === "Literal" && typeof node.value === "number")
      yield { start, end, put: String(node.value + 1), what: `${node.value} becomes ${node.value + 1}` };
    if (node.type === "UnaryExpression" && node.operator === "!")
      yield { start, end, put: textOf(node.argument), what: "without its !" };
    if (node.type === "ExpressionStatement" && /^(Call|Assignment|Yield|Await)/.test(node.expression.type))
      yield { start, end, put: ";", what: "the statement is gone" };
    if (node.type === "CallExpression" && node.callee.type === "MemberExpression") {
      const { property } = node.callee;
      const other = { some: "every", every: "some", filter: "slice", push: "unshift", min: "max", max: "min" }[
        property.name
      ];
      if (other !== undefined && (property.name !== "filter" || node.arguments.length === 1))
        yield property.name === "filter"
          ? { start: property.start, end, put: "slice()", what: "without its filter" }
          : { start: property.start, end: property.end, put: other, what: `${property.name} becomes ${other}` };
    }
    for (const value of Object.values(node).flat()) if (isNode(value)) yield* visit(value);
  }
  yield* visit(parseAst(code, { lang: "ts" }));
}

let state = Number(values.seed);
/** A number from 0 to below 1, the same ones for the same seed. */
const random = () => {
  state = (state * 1_664_525 + 1_013_904_223) % 4_294_967_296;
  return state / 4_294_967_296;
};

const copy = `${root}.mutants-${process.pid}/`;
const sources = readdirSync(`${root}src/${room}`, { recursive: true, encoding: "utf8" })
  .filter((file) => file.endsWith(".ts") && !file.endsWith("index.ts") && file.includes(values.only))
  .map((file) => `src/${room}/${file}`);
const all = sources.flatMap((file) => {
  const code = readFileSync(root + file, "utf8");
  return [...faultsOf(code)].map((fault) => ({ file, code, ...fault }));
});
const chosen = all
  .map((fault) => [random(), fault])
  .sort(([a], [b]) => a - b)
  .slice(0, Number(values.most))
  .map(([, fault]) => fault);

/** Whether the room's tests pass in the copy, within four minutes. */
const passesOn = (engines, isShown = false) =>
  new Promise((resolve) => {
    const command = [`${root}node_modules/vitest/vitest.mjs`, "run", "--bail", "1", ...files];
    const env = { ...process.env, GEMACH_SEED: "11", GEMACH_SEQUENCES: "60", GEMACH_ARCHIVES: "40" };
    if (engines !== undefined) env.GEMACH_ENGINES = engines;
    const stdio = isShown ? "inherit" : "ignore";
    const child = spawn(process.execPath, command, { cwd: copy, env, stdio, detached: true });
    const late = setTimeout(() => process.kill(-child.pid, "SIGKILL"), 240_000);
    child.on("close", (exit) => {
      clearTimeout(late);
      resolve(exit === 0);
    });
  });

try {
  rmSync(copy, { recursive: true, force: true });
  for (const part of [
    ...["src", "tools/src", "tools/package.json", "tools/README.md", "tools/LICENSE"],
    ...["test", "scripts", "docs", "README.md", "LICENSE", "CHANGELOG.md", "package.json", ".gitignore"],
    ...["tsconfig.json", "tsconfig.build.json", "vitest.config.ts"],
  ])
    cpSync(root + part, copy + part, { recursive: true });
  symlinkSync(`${root}node_modules`, `${copy}node_modules`);
  if (!(await passesOn(undefined, true))) throw new Error("the tests of the room fail without any fault");
  let found = 0;
  for (const [i, { file, code, start, end, put, what }] of chosen.entries()) {
    writeFileSync(copy + file, code.slice(0, start) + put + code.slice(end));
    // Most faults show on the quickest engine; only what it does not find is tried on all.
    const isAlive = (await passesOn("sqlite")) && (await passesOn(undefined));
    writeFileSync(copy + file, code);
    if (!isAlive) found++;
    else {
      const line = code.slice(0, start).split("\n").length;
      console.log(`lives: ${file}:${line}  ${what}: ${code.split("\n")[line - 1].trim()}`);
    }
    if (process.stderr.isTTY) process.stderr.write(`\r${i + 1} of ${chosen.length}, ${found} found `);
  }
  console.log(`${found} of ${chosen.length} found in ${room} (of ${all.length} faults that it may get)`);
} finally {
  rmSync(copy, { recursive: true, force: true });
}
