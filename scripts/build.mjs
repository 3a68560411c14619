// Builds what is published: few files, each entry with its declarations; both with maps that lead to the sources.
// Usage: node scripts/build.mjs [folder], "dist" by default.
import { execFileSync } from "node:child_process";
import { chmodSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join, resolve } from "node:path";
import { fileURLToPath } from "node:url";
import remapping from "@jridgewell/remapping";
import { rolldown } from "rolldown";
import { dts } from "rolldown-plugin-dts";

const root = fileURLToPath(new URL("..", import.meta.url));
const out = resolve(process.argv[2] ?? join(root, "dist"));

/** What can be imported, by the name of its file. */
const entries = {
  index: "index",
  sqlite: "drivers/sqlite",
  "sqlite-wasm": "drivers/sqlite-wasm",
  postgres: "drivers/postgres",
  pglite: "drivers/pglite",
  mariadb: "drivers/mariadb",
  dialects: "drivers/dialects",
  readable: "cli/readable",
  config: "project/settings",
  schema: "schema/entry",
  testing: "testing/index",
  matchers: "testing/matchers",
  diagnostics: "telemetry/diagnostics",
  opentelemetry: "telemetry/open-telemetry",
};

/** The modules of entries in a folder, with an ending. */
const inputs = (folder, ending, named = entries) =>
  Object.fromEntries(Object.entries(named).map(([name, file]) => [name, join(folder, `${file}${ending}`)]));

/** Modules of packages and of Node stay imports; every other path is the library's own. */
const isOutside = (id) => /^[a-z@]/.test(id) && !/^[A-Za-z]:\\/.test(id);

/** The place of a source as the published package has it, whatever folder the build is in. */
const publishedSource = (source) => `..${source.replaceAll("\\", "/").replace(/^.*?(?=\/src\/)/, "")}`;

rmSync(out, { recursive: true, force: true });
const code = await rolldown({
  input: inputs(join(root, "src"), ".ts", { ...entries, cli: "cli/main", recorder: "telemetry/recorder" }),
  external: isOutside,
  platform: "neutral",
  preserveEntrySignatures: "allow-extension",
});
const names = { entryFileNames: "[name].js", chunkFileNames: "chunk-[name].js" };
// What every program loads is one file, what the command line's projects load another, and each engine's dialect and
// driver a third: a file more takes Node 20 a millisecond and a half to load. What is read when it is first asked for
// stands apart from it.
const work = /\/src\/(work\/|errors\/work-)/;
const inspecting =
  /\/src\/(findings\/(?!kinds\.)|ledger\/(late|ledger|audit|compare|plans|with-budget)\.|database\/spending\.)/;
const core =
  /\/src\/((errors|columns|ir|expression|model|query|plan|run|live|findings|database|ledger|tables|sql(?!\/dialects\/\w+\/))\/|drivers\/(controls|ended|in-turn|turns|decimal-order)\.)/;
const ofEngine = (name) => {
  const own = new RegExp(`/src/(sql/dialects/${name}/(?!pglite)|drivers/${name}(-(?!wasm)\\w+)?\\.)`);
  return { name, test: (id) => own.test(id.replaceAll("\\", "/")) };
};
const groups = [
  { name: "work", test: (id) => work.test(id.replaceAll("\\", "/")) },
  { name: "inspecting", test: (id) => inspecting.test(id.replaceAll("\\", "/")) },
  { name: "tools", test: (id) => /\/src\/errors\/(tool|command|migration)-/.test(id.replaceAll("\\", "/")) },
  {
    name: "on-demand",
    test: (id) =>
      /\/src\/run\/(watching\/explain|verbs\/(on-demand|violated|references|update-rows))/.test(
        id.replaceAll("\\", "/"),
      ),
  },
  { name: "core", test: (id) => core.test(id.replaceAll("\\", "/")) },
  ...["sqlite", "postgres", "mariadb"].map(ofEngine),
  { name: "schema", test: (id) => /\/src\/schema\//.test(id.replaceAll("\\", "/")) },
  { name: "terminal", test: /[\\/]src[\\/]cli[\\/](terminal|project-options|plan-text|sql-text)\./ },
  {
    name: "project",
    test: /[\\/]src[\\/](project(?![\\/]settings)|cli(?![\\/](main|demo|demo-file|demo-text|readable|statement-commands|sql|explain)\.))/,
  },
];
await code.write({
  dir: out,
  format: "es",
  sourcemap: true,
  minify: false,
  minifyInternalExports: false,
  ...names,
  codeSplitting: { groups, includeDependenciesRecursively: false },
});
chmodSync(join(out, "cli.js"), 0o755);

// The compiler's declarations, a file a module, become one file an entry; their maps are joined to lead to the sources.
const apart = mkdtempSync(join(tmpdir(), "gemach-types-"));
try {
  const compiler = join(root, "node_modules/typescript/bin/tsc");
  const options = ["-p", join(root, "tsconfig.build.json"), "--emitDeclarationOnly", "--outDir", apart];
  execFileSync(process.execPath, [compiler, ...options], { stdio: "inherit" });
  const types = await rolldown({
    input: inputs(apart, ".d.ts"),
    external: isOutside,
    plugins: [dts({ dtsInput: true, sourcemap: true })],
  });
  const typeNames = { entryFileNames: "[name].ts", chunkFileNames: "chunk-[name].ts" };
  const { output } = await types.write({ dir: out, format: "es", sourcemap: true, ...typeNames });
  for (const { fileName } of output.filter(({ fileName: name }) => name.endsWith(".map"))) {
    const file = join(out, fileName);
    const joined = remapping(JSON.parse(readFileSync(file, "utf8")), (source, context) => {
      const declaration = resolve(dirname(file), source);
      context.source = declaration;
      return declaration.startsWith(apart) && declaration.endsWith(".d.ts")
        ? JSON.parse(readFileSync(`${declaration}.map`, "utf8"))
        : null;
    });
    writeFileSync(file, JSON.stringify({ ...JSON.parse(joined.toString()), sourcesContent: undefined }));
  }
} finally {
  rmSync(apart, { recursive: true });
}
for (const name of readdirSync(out).filter((file) => file.endsWith(".map"))) {
  const file = join(out, name);
  const map = JSON.parse(readFileSync(file, "utf8"));
  writeFileSync(file, JSON.stringify({ ...map, sources: map.sources.map(publishedSource) }));
}
