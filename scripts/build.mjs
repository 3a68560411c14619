// Builds what is published, the library and its tools: few files, each entry with its declarations; both with maps that
// lead to the sources.
// Usage: node scripts/build.mjs [folder]: into `dist` of both packages, or into folders of that one.
import { execFileSync } from "node:child_process";
import { chmodSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join, resolve } from "node:path";
import { fileURLToPath } from "node:url";
import remapping from "@jridgewell/remapping";
import { rolldown } from "rolldown";
import { dts } from "rolldown-plugin-dts";

const root = fileURLToPath(new URL("..", import.meta.url));
const given = process.argv[2];
const folders = {
  library: given === undefined ? join(root, "dist") : resolve(given, "dist"),
  tools: given === undefined ? join(root, "tools/dist") : resolve(given, "tools/dist"),
};

/** What can be imported, by the name of its file. */
const entries = {
  index: "index",
  sqlite: "drivers/sqlite",
  "sqlite-wasm": "drivers/sqlite-wasm",
  postgres: "drivers/postgres",
  pglite: "drivers/pglite",
  mariadb: "drivers/mariadb",
  dialects: "drivers/dialects",
  config: "settings/index",
  tooling: "tooling/index",
  schema: "schema/entry",
  testing: "testing/index",
  matchers: "testing/matchers",
  diagnostics: "telemetry/diagnostics",
  opentelemetry: "telemetry/open-telemetry",
};

/** The modules of entries in a folder, with an ending. */
const inputs = (folder, ending, named) =>
  Object.fromEntries(Object.entries(named).map(([name, file]) => [name, join(folder, `${file}${ending}`)]));

/** Modules of packages and of Node stay imports; every other path is the library's own. */
const isOutside = (id) => /^[a-z@]/.test(id) && !/^[A-Za-z]:\\/.test(id);

/** The place of a source as the published package has it, whatever folder the build is in. */
const publishedSource = (source) => `..${source.replaceAll("\\", "/").replace(/^.*?(?=\/src\/)/, "")}`;

/** Bundles the modules of a package into a folder, some of them together. */
async function bundle(input, dir, groups) {
  rmSync(dir, { recursive: true, force: true });
  const options = { external: isOutside, platform: "neutral", preserveEntrySignatures: "allow-extension" };
  const code = await rolldown({ input, ...options });
  await code.write({
    dir,
    format: "es",
    sourcemap: true,
    minify: false,
    minifyInternalExports: false,
    entryFileNames: "[name].js",
    chunkFileNames: "chunk-[name].js",
    codeSplitting: { groups, includeDependenciesRecursively: false },
  });
}

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
];
await bundle(
  inputs(join(root, "src"), ".ts", { ...entries, cli: "command/main", recorder: "telemetry/recorder" }),
  folders.library,
  groups,
);
chmodSync(join(folders.library, "cli.js"), 0o755);
await bundle(inputs(join(root, "tools/src"), ".ts", { command: "cli/main", readable: "cli/readable" }), folders.tools, [
  { name: "terminal", test: /[\\/]src[\\/]cli[\\/](terminal|project-options|plan-text|sql-text)\./ },
  {
    name: "project",
    test: /[\\/]src[\\/](project|cli(?![\\/](main|demo|demo-file|demo-text|readable|statement-commands|sql|explain)\.))/,
  },
]);

/** The compiler's declarations, a file a module, become one file an entry; their maps are joined to lead to the sources. */
async function declare(settings, named, dir) {
  const apart = mkdtempSync(join(tmpdir(), "gemach-types-"));
  try {
    const compiler = join(root, "node_modules/typescript/bin/tsc");
    const project = join(apart, "tsconfig.json");
    writeFileSync(project, JSON.stringify(settings));
    const options = ["-p", project, "--emitDeclarationOnly", "--outDir", apart];
    execFileSync(process.execPath, [compiler, ...options], { stdio: "inherit" });
    const types = await rolldown({
      input: inputs(apart, ".d.ts", named),
      external: isOutside,
      plugins: [dts({ dtsInput: true, sourcemap: true })],
    });
    const typeNames = { entryFileNames: "[name].ts", chunkFileNames: "chunk-[name].ts" };
    const { output } = await types.write({ dir, format: "es", sourcemap: true, ...typeNames });
    for (const { fileName } of output.filter(({ fileName: name }) => name.endsWith(".map"))) {
      const file = join(dir, fileName);
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
}
/** How a package's declarations are made, wherever they are put. */
const settingsOf = (folder, paths) => ({
  extends: join(root, "tsconfig.build.json"),
  compilerOptions: { rootDir: folder, paths, typeRoots: [join(root, "node_modules/@types")] },
  include: [folder],
});
await declare(settingsOf(join(root, "src"), {}), entries, folders.library);
// The tools know the library as it was just built.
const built = { gemach: [join(folders.library, "index.d.ts")], "gemach/*": [join(folders.library, "*.d.ts")] };
await declare(settingsOf(join(root, "tools/src"), built), { readable: "cli/readable" }, folders.tools);
for (const dir of Object.values(folders))
  for (const name of readdirSync(dir).filter((file) => file.endsWith(".map"))) {
    const file = join(dir, name);
    const map = JSON.parse(readFileSync(file, "utf8"));
    writeFileSync(file, JSON.stringify({ ...map, sources: map.sources.map(publishedSource) }));
  }
