import { execFileSync, spawnSync } from "node:child_process";
import { rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import Table from "cli-table3";
import { median, noting } from "./figures.js";

/** The package as it is published is built here, inside of the project, so that its imports are found. */
const packages = join(process.cwd(), "dist-bench", "package");
const folder = join(packages, "dist");

/** Source of modules; each is run in a process of its own. */
const sources = {
  pg: 'await import("pg");',
  "better-sqlite3": 'await import("better-sqlite3");',
  "gemach/postgres": 'await import("./index.js"); await import("./postgres.js");',
  "gemach/sqlite": 'await import("./index.js"); await import("./sqlite.js");',
  driver: `const { default: Sqlite } = await import("better-sqlite3");
const handle = new Sqlite(":memory:");
handle.exec("create table e7 (id integer primary key, name text)");
handle.prepare("select id, name from e7 where name = ?").all("x").map(({ id, name }) => ({ id, name }));`,
  first: `const { default: Sqlite } = await import("better-sqlite3");
const { database, entity, from, identity, integer, model, text, toMany, toOne } = await import("./index.js");
const { sqlite } = await import("./sqlite.js");
const handle = new Sqlite(":memory:");
handle.exec("create table e7 (id integer primary key, name text, upId integer)");
const definitions = {};
for (let n = 0; n < 50; n++)
  definitions["E" + n] = entity("e" + n, { id: identity, name: text, upId: integer.nullable }, {
    up: toOne("E" + ((n + 1) % 50), { by: "upId" }),
    below: toMany("E" + ((n + 49) % 50), { by: "upId" }),
  });
const { E7 } = model(definitions);
await database(sqlite(handle)).list(from(E7).where((e) => e.name.is("x")));`,
} as const;
type Source = keyof typeof sources;

const timed = (source: Source): number => {
  const { stdout, status, stderr } = spawnSync(
    process.execPath,
    [join(folder, `cold-${source.replace("/", "-")}.mjs`)],
    {
      encoding: "utf8",
    },
  );
  if (status !== 0) throw new Error(stderr);
  return Number(stdout);
};

/** What starting a process costs: importing, and the first query. */
export async function coldFigures(rounds: number): Promise<string> {
  execFileSync(process.execPath, ["scripts/build.mjs", packages], { stdio: "ignore" });
  for (const [name, source] of Object.entries(sources)) {
    const timing = `const started = performance.now();\n${source}\nprocess.stdout.write(String(performance.now() - started));\n`;
    writeFileSync(join(folder, `cold-${name.replace("/", "-")}.mjs`), timing);
  }
  const times = new Map<Source, number[]>();
  for (let round = 0; round < 3 * rounds; round++)
    for (const name of Object.keys(sources) as Source[]) times.set(name, [...(times.get(name) ?? []), timed(name)]);
  rmSync(packages, { recursive: true });
  const of = (name: Source): readonly number[] => times.get(name) ?? [];
  const ratio = (ours: Source, other: Source): string =>
    noting(
      `starting: ${ours} by ${other}`,
      "process",
      of(ours).map((time, i) => time / (of(other)[i] ?? Number.NaN)),
      median(of(ours)) / median(of(other)),
    );
  const table = new Table({ head: ["starting a process", "bound", "ratio"], style: { head: [], border: [] } });
  table.push(["importing gemach and its PostgreSQL driver, by importing pg", "0.6", ratio("gemach/postgres", "pg")]);
  table.push(["importing gemach and its SQLite driver, by importing pg", "0.6", ratio("gemach/sqlite", "pg")]);
  table.push([
    "importing all, a model of 50 entities and its first query, by better-sqlite3 alone",
    "",
    ratio("first", "driver"),
  ]);
  return String(table);
}
