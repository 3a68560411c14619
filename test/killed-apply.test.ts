import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import fc from "fast-check";
import { afterAll, beforeAll, expect } from "vitest";
import { eachEngine, useEngines } from "./support/engines.js";
import { type Installed, install } from "./support/installed.js";
import { seed } from "./support/seed.js";

const { all } = useEngines();
const kills = Number(process.env.GEMACH_KILLS ?? (process.env.CI === "true" ? 10 : 1));

let installed: Installed;
const folder = mkdtempSync(join(tmpdir(), "gemach-killed-"));
beforeAll(async () => {
  installed = await install();
});
afterAll(() => {
  rmSync(folder, { recursive: true, force: true });
  installed.remove();
});

const steps = [2, 3, 4, 5];

/** Definitions and data in turn: what is done twice shows in the numbers, or fails. */
const migrations = [
  {
    ...{ number: 1, name: "begin" },
    content: `create table counted (id integer primary key, n integer not null);
insert into counted values ${Array.from({ length: 400 }, (_, i) => `(${i}, 0)`).join(", ")};`,
  },
  ...steps.map((number) => ({
    ...{ number, name: `step-${number}` },
    content: `alter table counted add column c${number} integer;
update counted set n = n + 1, c${number} = id;
create index counted_${number} on counted (c${number});
insert into counted (id, n) select max(id) + 1, ${number} from counted;
create table beside_${number} (id integer primary key, of_id integer);
insert into beside_${number} select id, n from counted where id < 100;`,
  })),
];

/** A process that applies them, from nothing where it is told so; it says when it begins, and what is there at its end. */
const script = (open: string): string => `
import { database, sql, integer } from "gemach";
import { applyMigrations } from "gemach/schema";
${open}
const db = database(driver);
if (process.argv[2] === "fresh")
  for (const table of ["counted", ${steps.map((number) => `"beside_${number}"`)}, "gemach_journal"])
    await db.send(sql.command([\`drop table if exists \${table}\`]));
process.stdout.write("begun\\n");
await applyMigrations(db, ${JSON.stringify(migrations)});
const [sums] = await db.list(sql.rows({ rows: integer, n: integer, c: integer })\`select count(*), sum(n), sum(c5) from counted\`);
const beside = await db.list(sql.rows({ n: integer })\`${steps.map((number) => `select sum(of_id) from beside_${number}`).join(" union all ")}\`);
process.stdout.write(JSON.stringify([sums, beside]));
process.exit();
`;

/** The lines that open an engine's driver in a process of its own. */
const openers: Readonly<Record<string, (url: string) => string>> = {
  sqlite: (url) => `import Sqlite from "better-sqlite3"; import { sqlite } from "gemach/sqlite"; const driver = sqlite(new Sqlite("${url}"));`,
  pglite: (url) =>
    `import { PGlite } from "@electric-sql/pglite"; import { pglite } from "gemach/pglite"; const driver = pglite(await PGlite.create("${url}"));`,
  postgres: (url) => `import pg from "pg"; import { postgres } from "gemach/postgres"; const driver = postgres(new pg.Pool({ connectionString: "${url}" }));`,
  mariadb: (url) => `import mysql from "mysql2/promise"; import { mariadb } from "gemach/mariadb"; const driver = mariadb(mysql.createPool("${url}"));`,
};

/** Runs a process; `after`: milliseconds from its beginning to its being killed. */
function run(file: string, words: readonly string[], after?: number): Promise<{ told: string; took: number }> {
  const child = spawn(process.execPath, [file, ...words], { cwd: installed.folder, stdio: ["ignore", "pipe", "inherit"] });
  let told = "";
  let begun = 0;
  child.stdout.on("data", (text) => {
    if (told === "") {
      begun = performance.now();
      if (after !== undefined) setTimeout(() => child.kill("SIGKILL"), after);
    }
    told += text;
  });
  return new Promise((resolve) => child.on("exit", () => resolve({ told: told.split("\n")[1] ?? "", took: performance.now() - begun })));
}

eachEngine(
  all,
  "a process that is killed while it applies leaves what the next run completes",
  async (_, { name, url }) => {
    const open = openers[name];
    // In the process, each start takes seconds.
    if (open === undefined || (name === "pglite" && kills < 2)) return;
    const file = installed.write(`${name}.mjs`, script(open(url ?? join(folder, name))));
    const { told: wanted, took } = await run(file, ["fresh"]);
    expect(JSON.parse(wanted)).toMatchObject([{ rows: 404 }, [{}, {}, {}, {}]]);
    let midway = 0;
    for (const moment of fc.sample(fc.double({ min: 0, max: 1, noNaN: true }), { seed, numRuns: kills })) {
      const killed = await run(file, ["fresh"], moment * took);
      if (killed.told === "") midway++;
      const { told } = await run(file, []);
      expect(told, `${name}, killed after ${moment} of it`).toBe(wanted);
    }
    // One alone may have come as it was done.
    if (kills > 5) expect(midway).toBeGreaterThan(0);
  },
  3_600_000,
);
