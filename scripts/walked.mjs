// Counts the functions that a call walks through, at its first and its second time: precise coverage of V8 over the
// sources, closures counted. Usage: node scripts/walked.mjs [--list job]: with a job's name the functions of its second
// call, by file.
import { Session } from "node:inspector/promises";
import { fileURLToPath } from "node:url";
import Sqlite from "better-sqlite3";
import { build } from "vite";

const root = fileURLToPath(new URL("..", import.meta.url));
const out = `${root}node_modules/.walked`;
await build({
  configFile: false,
  logLevel: "silent",
  root,
  build: {
    outDir: out,
    emptyOutDir: true,
    minify: false,
    target: "node20",
    lib: { entry: { index: `${root}src/index.ts`, sqlite: `${root}src/drivers/sqlite.ts` }, formats: ["es"] },
    rolldownOptions: {
      external: (id) => !id.startsWith(".") && !id.startsWith("/"),
      output: { preserveModules: true, preserveModulesRoot: `${root}src` },
    },
  },
});
const { createTables, database, entity, from, identity, integer, model, text, toMany, toOne } = await import(
  `${out}/index.js`
);
const { sqlite } = await import(`${out}/sqlite.js`);

const { Shelf, Box } = model({
  Shelf: entity("shelf", { id: identity, name: text, size: integer }, { boxes: toMany("Box", { by: "shelfId" }) }),
  Box: entity("box", { id: identity, shelfId: integer, name: text }, { shelf: toOne("Shelf", { by: "shelfId" }) }),
});

/** Each job as a program would call it; the number makes values that differ. */
const jobs = {
  "list, filtered and ordered": (db, n) =>
    db.list(
      from(Shelf)
        .where((s) => s.size.above(n))
        .orderBy((s) => s.name.asc)
        .limit(2),
    ),
  "row by its key": (db, n) => db.single(from(Shelf).byKey(1 + (n % 2))),
  count: (db, n) => db.count(from(Box).where((b) => b.shelf.size.below(10 + n))),
  "lists of owners": (db, n) =>
    db.list(
      from(Shelf)
        .where((s) => s.size.above(n))
        .reach({ boxes: true }),
    ),
  insert: (db, n) => db.insert(Box, [{ shelfId: 1, name: `n${n}` }]),
  "add, change and write": (db, n) =>
    db.work(async (w) => {
      const shelf = await w.byKey(Shelf, 1);
      shelf.name = `changed ${n}`;
      w.add(Box, { name: `new ${n}`, shelf });
    }),
};

const session = new Session();
session.connect();
await session.post("Profiler.enable");

/** The functions of our files that a call walks through. */
async function walked(work) {
  await session.post("Profiler.startPreciseCoverage", { callCount: true, detailed: false });
  await session.post("Profiler.takePreciseCoverage");
  await work();
  const { result } = await session.post("Profiler.takePreciseCoverage");
  await session.post("Profiler.stopPreciseCoverage");
  const found = [];
  for (const { url, functions } of result) {
    if (!url.includes("/.walked/")) continue;
    const file = url.slice(url.indexOf("/.walked/") + 9);
    for (const { functionName, ranges } of functions)
      if (ranges[0].count > 0 && !(ranges[0].startOffset === 0 && functionName === ""))
        found.push({ file, name: functionName, calls: ranges[0].count });
  }
  return found;
}

const chosen = process.argv[2] === "--list" ? process.argv[3] : undefined;
const rows = [];
for (const [name, job] of Object.entries(jobs)) {
  if (chosen !== undefined && name !== chosen) continue;
  const db = database(sqlite(new Sqlite(":memory:")));
  await createTables(db, { Shelf, Box });
  await db.insert(Shelf, [
    { name: "a", size: 3 },
    { name: "b", size: 4 },
  ]);
  const first = await walked(() => job(db, 0));
  const second = await walked(() => job(db, 1));
  rows.push({
    job: name,
    first: first.length,
    second: second.length,
    files: new Set(second.map(({ file }) => file)).size,
  });
  if (chosen !== undefined) for (const { file, name: of, calls } of second) console.log(`${file}  ${of}  ${calls}`);
}
console.table(rows);
