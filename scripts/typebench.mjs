// Prints what it costs the compiler to check a model of 150 entities with 500 queries, and the same with live entities;
// fails past the limits.
import { execFileSync } from "node:child_process";
import { mkdirSync, rmSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";

const [entities, queries] = [150, 500];
const root = fileURLToPath(new URL("..", import.meta.url));
const folder = `${root}dist-typebench`;
const compiler = `${root}node_modules/typescript/bin/tsc`;

const to = (i, step) => (i + step) % entities;
const definition = (i) => `  E${i}: entity("e${i}", {
    id: identity, name: text, note: text.nullable, size: integer, due: date, done: boolean, price: numeric(8, 2),
    upId: integer, sideId: integer.nullable,
  }, {
    up: toOne("E${to(i, 1)}", { by: "upId" }),
    side: toOne("E${to(i, 7)}", { by: "sideId" }),
    downs: toMany("E${to(i, entities - 1)}", { by: "upId" }),
    far: via("up", "up", "side"),
    wide: via("downs", "downs"),
  }),`;
const query = (i) => {
  const name = `E${i % entities}`;
  switch (i % 4) {
    case 0:
      return `from(m.${name}).where((r) => and(r.up.up.name.is("x"), r.downs.where((d) => d.done).exists())).reach({ up: { side: true }, downs: (d) => d.limit(3).reach({ side: true, far: true }) })`;
    case 1:
      return `from(m.${name}).select((r) => ({ name: r.name, up: { name: r.up.name, side: r.up.side.name }, count: r.wide.where((d) => d.size.above(2)).count() }))`;
    case 2:
      return `from(m.${name}).where((r) => or(r.side.name.is(null), r.due.below("2026-01-01"))).orderBy((r) => [r.up.size.desc, r.id.asc]).reach({ far: true, wide: true })`;
    default:
      return `from(m.${name}).reach({ up: { up: { up: { side: { up: true } } } }, downs: { downs: { side: true } } })`;
  }
};
// Reading one property of each result makes the compiler work the type out.
const use = (i) =>
  `const q${i} = ${query(i)};\nexport const n${i}: string = null! as RowOf<typeof q${i}>["${i % 4 === 2 ? "due" : "name"}"];`;
/** A live entity of each query, of which a property is read, as of the plain rows. */
const live = (i) =>
  `export const f${i} = async (w: UnitOfWork) => { for (const e of await w.list(q${i})) void e.name; };`;

mkdirSync(folder, { recursive: true });
const names =
  "and, boolean, date, entity, from, identity, integer, model, numeric, or, type RowOf, text, toMany, toOne, type UnitOfWork, via";
const head = `import { ${names} } from "gemach";\nconst m = model({\n${Array.from({ length: entities }, (_, i) => definition(i)).join("\n")}\n});\n`;
const lines = (of) => Array.from({ length: queries }, (_, i) => of(i)).join("\n");
writeFileSync(
  `${folder}/tsconfig.json`,
  // The built types, as whoever installs the library has them: its own sources are no part of the figure.
  JSON.stringify({
    extends: "../tsconfig.json",
    compilerOptions: { noUnusedLocals: false, paths: { gemach: ["../dist/index.d.ts"] } },
    include: ["."],
  }),
);

/** Checks a text, and fails past a limit. */
function bench(label, text, limit) {
  writeFileSync(`${folder}/bench.ts`, text);
  const output = execFileSync(process.execPath, [compiler, "-p", folder, "--extendedDiagnostics"], {
    encoding: "utf8",
  });
  const figure = (name) => output.match(new RegExp(`${name}:\\s+(\\S+)`))?.[1] ?? "?";
  const instantiations = Number(figure("Instantiations"));
  console.log(
    `${label}: ${instantiations} instantiations, ${figure("Types")} types, check ${figure("Check time")}, memory ${figure("Memory used")}`,
  );
  if (instantiations < limit) return;
  console.log(`more than ${limit} instantiations`);
  process.exitCode = 1;
}

try {
  bench(`${entities} entities, ${queries} queries`, `${head}${lines(use)}\n`, 400_000);
  bench("the same with live entities", `${head}${lines(use)}\n${lines(live)}\n`, 475_000);
} catch (error) {
  console.log(
    String(error.stdout ?? error)
      .split("\n")
      .slice(0, 10)
      .join("\n"),
  );
  process.exitCode = 1;
} finally {
  rmSync(folder, { recursive: true, force: true });
}
